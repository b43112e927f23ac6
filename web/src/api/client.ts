import createClient from 'openapi-fetch'
import { sayLost } from '../composables/session'
import type { components, paths } from './schema'

type Schemas = components['schemas']
export type Slip = Schemas['Slip']
export type JobView = Schemas['JobView']
export type LadderRow = Schemas['LadderRow']
export type JobFinding = Schemas['JobFinding']
export type Evidence = Schemas['Evidence']
export type ShelfView = Schemas['ShelfView']
export type FloorView = Schemas['FloorView']
export type LaneView = Schemas['LaneView']
export type RunView = Schemas['RunView']
export type MachineBrief = Schemas['MachineBrief']
export type MachineNow = Schemas['MachineNow']
export type MachineSaid = Schemas['MachineSaid']
export type RunCourse = Schemas['RunCourse']
export type HeatCurve = Schemas['HeatCurve']
export type SpoolView = Schemas['SpoolView']
export type WearView = Schemas['WearView']
export type NewPart = Schemas['NewPart']
export type PartView = Schemas['PartView']
export type HouseFinishing = Schemas['HouseFinishing']
export type StoresView = Schemas['StoresView']
export type Delivery = Schemas['Delivery']
export type BesideView = Schemas['Beside']
export type HouseView = Schemas['HouseView']
export type HouseSettings = Schemas['House']
export type Actor = Schemas['Actor']
export type PieceView = Schemas['PieceView']
export type SliceView = Schemas['SliceView']
export type SliceOrder = Schemas['SliceOrder']
export type Setting = Schemas['Setting']
export type Override = Schemas['Override']
export type SupportMark = Schemas['SupportMark']
export type Overhang = Schemas['Overhang']
export type Region = Schemas['Region']
export type LayerTime = Schemas['LayerTime']
export type PieceChange = Schemas['PieceChange']
export type Purpose = Schemas['HandIn']['purpose']
export type Use = Schemas['Use']
export type EndedSlip = Schemas['EndedSlip']
export type Condition = Schemas['Condition']
export type HouseRule = Schemas['Rule']
export type RuleView = Schemas['RuleView']
export type RuleTried = Schemas['RuleTried']
export type RuleFact = Schemas['FactView']
export type RoutineJob = Schemas['RoutineJob']
export type TemplateView = Schemas['TemplateView']
export type PersonView = Schemas['PersonView']

export const api = createClient<paths>({ baseUrl: `${location.origin}/api`, fetch: (r) => fetch(r) })

// The server keeps private answers out of the browser's cache, and tags them. The last
// answers are kept here instead, so that what has not changed does not come twice.
const tagged = new Map<string, { tag: string; text: string }>()
const mostTagged = 50

/** Forgets all answers: somebody else may sit here next. */
export const forgetAnswers = () => tagged.clear()

api.use({
  onRequest({ request }) {
    const had = request.method === 'GET' ? tagged.get(request.url) : undefined
    if (had) request.headers.set('If-None-Match', had.tag)
    return request
  },
  async onResponse({ request, response }) {
    // Who asks who is signed in, or signs in, is told so by the answer itself.
    if (response.status === 401 && !new URL(request.url).pathname.endsWith('/session')) sayLost()
    if (request.method !== 'GET') return undefined
    const had = tagged.get(request.url)
    if (response.status === 304 && had)
      return new Response(had.text, { status: 200, headers: { 'Content-Type': 'application/json' } })
    const tag = response.headers.get('ETag')
    tagged.delete(request.url)
    if (response.ok && tag) {
      tagged.set(request.url, { tag, text: await response.clone().text() })
      if (tagged.size > mostTagged) tagged.delete(tagged.keys().next().value!)
    }
    return undefined
  },
})

/** What the server refused, in words for a person. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    message: string,
    /** Field path to text, for forms. */
    readonly fields: Record<string, string> = {},
  ) {
    super(message)
  }
}

interface Problem {
  detail?: string
  title?: string
  errors?: { location?: string; message?: string }[]
}

export function refusal(status: number, problem: Problem | undefined): Refusal {
  const fields: Record<string, string> = {}
  for (const e of problem?.errors ?? []) {
    if (e.location) fields[e.location.replace(/^body\.(data\.)?/, '')] = e.message ?? ''
  }
  const first = Object.entries(fields)[0]
  const none = status >= 502 && status <= 504 ? 'The server does not answer.' : 'The server did not answer as expected.'
  let text = problem?.detail ?? problem?.title ?? none
  if (text === 'validation failed' && first) text = `${first[0]}: ${first[1]}`
  return new Refusal(status, text, fields)
}

interface Answer<T> {
  data?: T
  error?: unknown
  response: Response
}

/** Gives an answer's data, or throws a Refusal. */
export async function take<T>(call: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>
  try {
    answer = await call
  } catch {
    throw new Refusal(0, 'The server cannot be reached.')
  }
  if (!answer.response.ok) throw refusal(answer.response.status, answer.error as Problem)
  return answer.data as T
}

/** Sends a file as it is and tells how far it has got, 0 to 1. */
export function upload(file: File, progress: (share: number) => void, signal?: AbortSignal): Promise<string> {
  return new Promise((resolve, reject) => {
    const x = new XMLHttpRequest()
    x.open('POST', `/api/uploads?name=${encodeURIComponent(file.name)}`)
    x.setRequestHeader('Content-Type', 'application/octet-stream')
    x.responseType = 'json'
    x.upload.onprogress = (e) => progress(e.lengthComputable ? e.loaded / e.total : 0)
    x.onload = () => {
      if (x.status === 401) sayLost()
      if (x.status === 201) resolve(x.response.upload_id)
      else reject(refusal(x.status, x.response))
    }
    x.onerror = () => reject(new Refusal(0, `${file.name} did not arrive. Try again.`))
    x.onabort = () => reject(new Refusal(0, 'Cancelled.'))
    signal?.addEventListener('abort', () => x.abort())
    x.send(file)
  })
}
