/** The kinds of lines, in the order of their numbers, in Paul Tol's muted colours. */
export const lineKinds = [
  { name: 'outer shell', colour: '#332288' }, { name: 'inner shell', colour: '#44AA99' }, { name: 'top and bottom', colour: '#DDCC77' }, { name: 'infill', colour: '#999933' },
  { name: 'bridge', colour: '#CC6677' }, { name: 'support', colour: '#AA4499' }, { name: 'bed adhesion', colour: '#8A8A8A' },
  { name: 'purge', colour: '#88CCEE' },
]
