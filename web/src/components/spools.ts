/** Where a spool is, as a shape beside its word. */
export const spoolMark = { sealed: '□', open: '○', drying: '△', loaded: '●', empty: '×', retired: '×' }
