import text from './api/openapi.json?raw'

/** What the server says that it takes. */
interface Schema {
  $ref?: string
  type?: string | string[]
  properties?: Record<string, Schema>
  required?: string[]
  additionalProperties?: boolean | Schema
  items?: Schema
  enum?: unknown[]
  minimum?: number
  maximum?: number
  minLength?: number
  maxLength?: number
  minItems?: number
  maxItems?: number
  pattern?: string
}
type Body = { content?: Record<string, { schema: Schema }> }
type Route = { requestBody?: Body; responses?: Record<string, Body> }
const spec = JSON.parse(text) as {
  paths: Record<string, Record<string, Route>>
  components: { schemas: Record<string, Schema> }
}

/** What was asked of the server that it would refuse by its form, since it was looked at last. */
export const untaken: string[] = []

/** Holds what a room asks of the server, by route or path, against what that takes; gives the route. */
export function asks(method: string, path: string, body: unknown): string {
  const route = spec.paths[path]
    ? path
    : Object.keys(spec.paths).find((p) => new RegExp(`^${p.replace(/\{\w+\}/g, '[^/]+')}$`).test(path))
  const of = spec.paths[route ?? '']?.[method.toLowerCase()]
  if (!of) {
    untaken.push(`${method} ${path}: there is no such route`)
    return path
  }
  const schema = of.requestBody?.content?.['application/json']?.schema
  if (schema && body === undefined) untaken.push(`${method} ${path}: nothing is sent`)
  if (schema && body !== undefined)
    // As it goes over the line: what is not defined is left out.
    for (const wrong of holds(schema, JSON.parse(JSON.stringify(body)), 'it'))
      untaken.push(`${method} ${path}: ${wrong}`)
  return route!
}

/** The least that a route answers; nothing where it only does something. */
export function sampleOf(method: string, route: string): unknown {
  const all = spec.paths[route]?.[method.toLowerCase()]?.responses ?? {}
  const of = Object.entries(all).find(([status]) => status.startsWith('2'))?.[1].content?.['application/json']
  const least = (s: Schema): unknown => {
    if (s.$ref) return least(spec.components.schemas[s.$ref.split('/').at(-1)!]!)
    if (s.enum) return s.enum[0]
    const type = [s.type].flat()[0]
    if (type === 'object')
      return Object.fromEntries((s.required ?? []).map((k) => [k, s.properties?.[k] ? least(s.properties[k]) : null]))
    return { array: [], string: '', integer: 1, number: 1, boolean: false }[type ?? ''] ?? null
  }
  return of && least(of.schema)
}

function holds(s: Schema, v: unknown, at: string): string[] {
  if (s.$ref) return holds(spec.components.schemas[s.$ref.split('/').at(-1)!]!, v, at)
  const types = s.type === undefined ? [] : [s.type].flat()
  const is = v === null ? 'null' : Array.isArray(v) ? 'array' : typeof v
  if (types.length && !types.some((t) => t === is || (t === 'integer' && Number.isInteger(v))))
    return [`${at} is ${is}, not ${types.join(' or ')}`]
  if (s.enum && v !== null && !s.enum.includes(v)) return [`${at} is ${String(v)}, none of ${s.enum.join(', ')}`]
  const size = typeof v === 'number' ? v : typeof v === 'string' ? [...v].length : Array.isArray(v) ? v.length : 0
  const least = s.minimum ?? s.minLength ?? s.minItems
  const most = s.maximum ?? s.maxLength ?? s.maxItems
  const out: string[] = []
  if (is !== 'object' && is !== 'null') {
    if (least !== undefined && size < least) out.push(`${at}: ${size} is under ${least}`)
    if (most !== undefined && size > most) out.push(`${at}: ${size} is over ${most}`)
    if (s.pattern && !new RegExp(s.pattern).test(String(v))) out.push(`${at}: ${String(v)} is not like ${s.pattern}`)
  }
  if (Array.isArray(v) && s.items) v.forEach((x, i) => out.push(...holds(s.items!, x, `${at}[${i}]`)))
  if (is === 'object' && s.properties) {
    const o = v as Record<string, unknown>
    for (const k of s.required ?? []) if (!(k in o)) out.push(`${at}.${k} is missing`)
    for (const [k, x] of Object.entries(o)) {
      if (s.properties[k]) out.push(...holds(s.properties[k], x, `${at}.${k}`))
      else if (s.additionalProperties === false && k !== '$schema') out.push(`${at}.${k} is not taken`)
    }
  }
  return out
}
