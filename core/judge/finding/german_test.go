package finding

import "golang.org/x/text/message/catalog"

// german are some texts in a second language: all that another one takes is a file like this.
var german = texts{
	"open surface, holes": {counted("holes", 1, "1 Loch", "%[1]d Löcher"), counted("edges", 2, "1 Kante hat", "%[2]d Kanten haben"),
		catalog.String("Die Oberfläche hat ${holes}: ${edges} nur eine Fläche. Das größte Loch misst %[3]v mm im Umfang.")},
	"unit":           say("Die längste Seite misst %[1]v mm, wenn die Datei in Millimetern ist; %[2]s."),
	"unit, another":  say("in %[1]s wären es %[2]v mm, auf %[3]d Maschinen"),
	"unit of inches": say("Zoll"),
	"%s (line %s)":   say("%[1]s (Zeile %[2]s)"),
	"The model has %d triangles, the limit is %d":                 say("Das Modell hat %[1]d Dreiecke, die Grenze ist %[2]d"),
	"Reduce the number of triangles in the program that made it.": say("Bitte im Programm, das es gemacht hat, die Zahl der Dreiecke verringern."),
}
