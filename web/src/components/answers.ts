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
  'shared edges': () => 'In your model some edges have more than two faces, so we cannot tell inside from outside there. Please join the parts in the program you drew it with, and hand it in again.',
  'turned faces': () => 'Some faces of your model look inwards. Please let the program you drew it with turn them all outwards, and hand it in again.',
  'crosses itself': () => 'The surface of your model goes through itself. Please look at the places where parts run into each other, join them into one body, and hand it in again.',
  'overlapping bodies': () => 'Your model has parts that take up the same space. May we join them into one? If they are meant to be separate, please move them apart.',
  'layer height': (t) => `You sliced this yourself. ${t} Please hand in the model instead; we slice it with the settings of our machines.`,
  'heating stays on': () => 'Your G-code leaves the heating on at its end. We do not run it like that; please hand in the model instead.',
  'command not allowed': (t) => `We cannot run your G-code. ${t}`,
  'unclear line': (t) => `We cannot run your G-code. ${t}`,
  nozzles: (t) => `We cannot run your G-code. ${t}`,
  'hotter than the machine': (t) => `We cannot run your G-code. ${t}`,
  'outside the machine': () => 'Your G-code goes outside of our machines. Please hand in the model instead.',
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
