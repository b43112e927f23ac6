import type { JobView } from '../api/client'

export interface Answer {
  about: string
  text: string
}

const byCheck: Record<string, (text: string) => string> = {
  'open surface': () =>
    'Your model is not closed: its surface has a hole, so we cannot tell inside from outside. Please close it in the program you drew it with, or send us the original drawing, and hand it in again.',
  'not readable': (t) => `We could not read your file. ${t}`,
  fit: () => 'Your model is too large for our machines. May we print it smaller, or would you cut it into parts? Tell us the size that matters.',
  unit: () => 'Your file does not say which unit it is in, and as millimetres the size looks unlikely. How long is the longest side meant to be?',
  'no volume': () => 'Your model is a sheet without thickness. Give it a thickness of at least 1 mm and hand it in again.',
  'inside out': () => 'Your model is inside out: every face looks inwards. Please turn the faces and hand it in again.',
}

/** Messages to the member that are ready for a job's findings, worst first. */
export function answers(job: Pick<JobView, 'findings' | 'title'>): Answer[] {
  const out: Answer[] = []
  for (const f of job.findings) {
    const make = byCheck[f.check]
    if (make && !out.some((a) => a.about === f.check)) out.push({ about: f.check, text: make(f.text) })
  }
  out.push({ about: 'ask the member', text: `About ${job.title}: we have a question before we print it. Please come by the desk.` })
  return out
}
