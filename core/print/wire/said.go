package wire

import (
	"math"
	"strconv"
	"strings"
)

// Kind is what a machine said.
type Kind string

// The kinds.
const (
	Ok        Kind = "taken"            // a command, by its Line
	Again     Kind = "sent again"       // a line was asked for once more
	Heats     Kind = "temperatures"     // in Heats
	Busy      Kind = "busy"             // it works on the last command; Text says how
	Fault     Kind = "fault"            // it stands still, for the reason in Text
	Restarted Kind = "restarted"        // whatever was under way is lost, Lost of ours
	Opened    Kind = "file opened"      // Name, Size
	Named     Kind = "file in use"      // Name; it is open
	Listed    Kind = "file"             // of its storage: Name, Size
	ListEnds  Kind = "end of the files" //
	Progress  Kind = "progress"         // it is At of Size bytes of the file that it prints
	Stands    Kind = "prints no file"   //
	Finished  Kind = "file at its end"  //
	Stored    Kind = "file stored"      //
	NotOpened Kind = "no such file"     // Name
	Place     Kind = "place"            // XYZE
	Firmware  Kind = "firmware"         // Text
	Capable   Kind = "can"              // Name, and Size 1 if it does
	Action    Kind = "asks"             // Text: paused, resumed, filament out, …
	Noise     Kind = "noise"            // what nobody understands
	Note      Kind = "note"             // Text; known, and nothing follows from it
	Remark    Kind = "remark"           // Text, whatever it means
	Broken    Kind = "broken"           // the line cannot be used any more
)

// Heat is a temperature, and what it is to be.
type Heat struct {
	Bed    bool
	Nozzle int // counted from 0; -1: the one in use
	C, ToC float64
}

// Event is something that a machine said, or that follows from it.
type Event struct {
	Kind    Kind
	Line    int64
	Command string
	Text    string
	Name    string
	At      int64
	Size    int64
	Lost    int
	Heats   []Heat
	XYZE    [4]float64 // mm
}

// read tells what a line says.
func read(text string) Event {
	if !printable(text) {
		return Event{Kind: Noise, Text: strconv.QuoteToASCII(text[:min(len(text), 40)])}
	}
	word, rest, _ := strings.Cut(text, " ")
	switch {
	case word == "ok" || text == "ok":
		return Event{Kind: Ok, Heats: heats(rest)}
	case text == "start":
		return Event{Kind: Restarted}
	case text == "wait":
		return Event{Kind: Note, Text: text}
	}
	if after, ok := strings.CutPrefix(text, "echo:"); ok {
		text = strings.TrimSpace(after)
		if after, ok := strings.CutPrefix(text, "busy:"); ok {
			return Event{Kind: Busy, Text: strings.TrimSpace(after)}
		}
		return Event{Kind: Note, Text: text}
	}
	for prefix, kind := range map[string]Kind{"Error:": Fault, "!!": Fault, "//action:": Action, "// action:": Action, "FIRMWARE_NAME:": Firmware} {
		if after, ok := strings.CutPrefix(text, prefix); ok {
			return told(kind, strings.TrimSpace(after))
		}
	}
	return stored(text)
}

// told is a fault or the like; what goes before a line that is asked for again is no fault, nor is a storage that is full.
func told(kind Kind, text string) Event {
	low := strings.ToLower(text)
	if kind == Fault && (strings.Contains(low, "checksum") || strings.Contains(low, "line number") || strings.Contains(low, "writing to file")) {
		return Event{Kind: Remark, Text: text}
	}
	return Event{Kind: kind, Text: text}
}

// stored tells of files and places, and of what else there is.
func stored(text string) Event {
	if after, ok := strings.CutPrefix(text, "File opened:"); ok {
		name, size, _ := strings.Cut(after, "Size:")
		n, err := strconv.ParseInt(strings.TrimSpace(size), 10, 64)
		if err != nil || n < 0 {
			return Event{Kind: Noise, Text: text}
		}
		return Event{Kind: Opened, Name: strings.TrimSpace(name), Size: n}
	}
	if after, ok := strings.CutPrefix(text, "Current file:"); ok {
		return Event{Kind: Named, Name: strings.TrimSpace(after)}
	}
	if after, ok := strings.CutPrefix(text, "open failed, File:"); ok {
		return Event{Kind: NotOpened, Name: strings.Trim(strings.TrimSpace(after), ".")}
	}
	if after, ok := strings.CutPrefix(text, "SD printing byte "); ok {
		at, of, ok := strings.Cut(after, "/")
		a, err1 := strconv.ParseInt(at, 10, 64)
		b, err2 := strconv.ParseInt(of, 10, 64)
		if !ok || err1 != nil || err2 != nil || a < 0 || b < a {
			return Event{Kind: Noise, Text: text}
		}
		return Event{Kind: Progress, At: a, Size: b}
	}
	if after, ok := strings.CutPrefix(text, "Cap:"); ok {
		name, is, ok := strings.Cut(after, ":")
		if !ok || is != "0" && is != "1" {
			return Event{Kind: Noise, Text: text}
		}
		return Event{Kind: Capable, Name: name, Size: int64(is[0] - '0')}
	}
	switch text {
	case "Not SD printing":
		return Event{Kind: Stands}
	case "Done printing file":
		return Event{Kind: Finished}
	case "Done saving file.":
		return Event{Kind: Stored}
	case "End file list":
		return Event{Kind: ListEnds}
	case "Begin file list", "File selected":
		return Event{Kind: Note, Text: text}
	}
	for _, known := range []string{"Writing to file:", "File deleted:", "Deletion failed"} {
		if strings.HasPrefix(text, known) {
			return Event{Kind: Note, Text: text}
		}
	}
	if h := heats(text); len(h) > 0 {
		return Event{Kind: Heats, Heats: h}
	}
	if at, ok := place(text); ok {
		return Event{Kind: Place, XYZE: at}
	}
	if name, size, ok := strings.Cut(text, " "); ok && strings.Contains(name, ".") {
		if n, err := strconv.ParseInt(size, 10, 64); err == nil && n >= 0 {
			return Event{Kind: Listed, Name: name, Size: n}
		}
	}
	return Event{Kind: Remark, Text: text}
}

func printable(text string) bool {
	for _, b := range []byte(text) {
		if b < ' ' || b > '~' {
			return false
		}
	}
	return true
}

// heats reads temperatures, as "T:201.5 /205.0 B:60.1 /60.0 T0:… @:127"; none where one of them cannot be.
func heats(text string) (out []Heat) {
	words := strings.Fields(text)
	for i := 0; i < len(words); i++ {
		key, value, ok := strings.Cut(words[i], ":")
		if !ok || key == "" {
			continue
		}
		h := Heat{Nozzle: -1}
		switch {
		case key == "B":
			h.Bed = true
		case key == "T":
		case key[0] == 'T' && len(key) == 2 && key[1] >= '0' && key[1] <= '9':
			h.Nozzle = int(key[1] - '0')
		default:
			continue
		}
		value, to, both := strings.Cut(value, "/")
		if !both && i+1 < len(words) && strings.HasPrefix(words[i+1], "/") {
			to, both = words[i+1][1:], true
			i++
		}
		if h.C, ok = celsius(value); !ok {
			return nil
		}
		if both {
			if h.ToC, ok = celsius(to); !ok {
				return nil
			}
		}
		out = append(out, h)
	}
	return out
}

// celsius reads a temperature that can be one.
func celsius(s string) (float64, bool) {
	c, err := strconv.ParseFloat(s, 64)
	return c, err == nil && c > -100 && c < 1000 && !math.IsNaN(c)
}

// place reads where a machine is, as "X:10.00 Y:20.00 Z:0.20 E:1.50 Count X:…".
func place(text string) (at [4]float64, ok bool) {
	text, _, _ = strings.Cut(text, " Count")
	seen := 0
	for _, w := range strings.Fields(text) {
		key, value, _ := strings.Cut(w, ":")
		k := strings.Index("XYZE", key)
		if len(key) != 1 || k < 0 {
			return at, false
		}
		v, err := strconv.ParseFloat(value, 64)
		if err != nil || math.IsNaN(v) || math.Abs(v) > 1e6 {
			return at, false
		}
		at[k] = v
		seen |= 1 << k
	}
	return at, seen == 15
}
