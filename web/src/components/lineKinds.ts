/** The colours of the kinds of lines, in the order of their numbers: Paul Tol's muted ones. */
export const kindColours = ['#332288', '#44AA99', '#DDCC77', '#999933', '#CC6677', '#AA4499', '#8A8A8A', '#88CCEE']
