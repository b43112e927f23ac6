import type { JobFinding } from '../api/client'

/** What one key says to something that was found. */
export const readyReason = 'Looked at, it may be so.'

/** The first of what was found that somebody of this role can answer, and has not. */
export const nextOpen = (all: readonly JobFinding[], steward: boolean) =>
  all.find((x) => x.key && !x.answer && (steward || x.waives !== 'steward'))
