/** The repair steps in the order they are made, in plain words. */
export const stepText: Record<string, string> = {
  weld: 'Draw corners that nearly meet together',
  flat: 'Take out triangles without area',
  duplicates: 'Take out repeated triangles',
  stitch: 'Sew seams whose corners do not match',
  orient: 'Make neighbours face the same way',
  holes: 'Close holes',
  turn: 'Turn bodies that are inside out',
  unite: 'Make overlapping bodies one',
}
export const allSteps = Object.keys(stepText)

export const unitNames: Record<string, string> = { mm: 'millimetres', cm: 'centimetres', m: 'metres', in: 'inches', ft: 'feet', 'µm': 'micrometres' }
