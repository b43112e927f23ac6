import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { mount } from '@vue/test-utils'
import { expect, vi } from 'vitest'
import { defineComponent, h } from 'vue'
import App from './App.vue'
import { allKeys, lettersOn } from './composables/keys'
import { hush, notices } from './composables/notices'
import { sayFound } from './composables/session'
import { makeRouter } from './router'
import house from './testdata/house.json'
import { page } from './test-page'
import { asks, sampleOf, untaken } from './test-server'
import './rooms/BenchRoom.vue'
import './rooms/CounterRoom.vue'
import './rooms/FinishingRoom.vue'
import './rooms/FloorRoom.vue'
import './rooms/HouseRoom.vue'
import './rooms/JobRoom.vue'
import './rooms/MachineRoom.vue'
import './rooms/ShelfRoom.vue'
import './rooms/StoresRoom.vue'
import { components, createVuetify } from './test-vuetify'

// Everybody through every room of the demo house, as its server told it (`make answers`): each thing that can be clicked,
// written, chosen or pressed is, once; what that asks of the server is refused first, and taken when it is asked again.
// What each deed asked and changed on the page is as it was.
const told = house.told as Record<string, Record<string, unknown>>
// Nobody owes anything yet when the demo is set up.
const line = (id: number, kind: string, cents: number, why = '') => ({
  id,
  at: '2026-11-27T10:00:00Z',
  kind,
  cents,
  by: 'Cato Lindgard',
  title: why ? '' : 'Cleat',
  job_id: why ? 0 : 22,
  why,
})
Object.assign(told.cato!, {
  '/accounts': [
    { member_id: 3, member: 'Nia Marlow', cents: 420, lines: [] },
    { member_id: 4, member: 'Oskar Veer', cents: -80, lines: [] },
  ],
  '/accounts/3': {
    member_id: 3,
    member: 'Nia Marlow',
    cents: 420,
    lines: [line(7, 'charged', 520), line(9, 'paid', -100)],
  },
  '/accounts/4': { member_id: 4, member: 'Oskar Veer', cents: -80, lines: [line(8, 'corrected', -80, 'It was late.')] },
})
// And what else the demo has none of, so that it is seen.
const ended = (id: number, title: string, state: string, reason?: string) => ({
  id,
  title,
  member: 'Nia Marlow',
  purpose: 'everyday',
  state,
  reason,
  at: '2026-11-20T10:00:00Z',
})
const like = (path: string) => told.cato![path] as Record<string, never>
const seventh = like('/jobs/7') as unknown as { piece_set: { versions: Record<string, unknown>[]; current: number }[] }
const asItCame = seventh.piece_set[0]!.versions[0]!
const edges = { boundary_edges: 3, nonmanifold_edges: 0, misoriented_edges: 0, bodies: 1 }
seventh.piece_set[0]!.versions.push({
  ...asItCame,
  n: 2,
  steps: ['weld', 'holes'],
  log: [{ step: 'holes', count: 1, text: 'Closed 1 hole.', before: edges, after: { ...edges, boundary_edges: 0 } }],
})
const asked = { asked: 'Which colour?', asked_by: 'Cato Lindgard', asked_at: '2026-11-27T09:00:00Z' }
Object.assign(seventh, {
  left_out: [{ id: 91, name: 'lid.stl', copies: 2 }],
  questions: [
    { ...asked, reply: 'Blue.', replied_by: 'Nia Marlow', replied_at: '2026-11-27T10:00:00Z' },
    { ...asked, asked: 'Light or dark?' },
  ],
})
Object.assign((told.cato!['/pieces/7/slices'] as object[])[0]!, {
  overrides: [{ key: 'infill_percent', value: '40', was: '20', who: 'Cato Lindgard', why: 'It is stood on.' }],
  support_marks: [
    {
      corners_mm: [
        [0, 0, 4],
        [5, 0, 4],
        [5, 5, 4],
        [0, 5, 4],
      ],
      put_in: true,
      who: 'Cato Lindgard',
      why: 'It hangs.',
    },
  ],
})
Object.assign((like('/jobs/9') as unknown as { piece_set: object[] }).piece_set[0]!, {
  unit_proposals: [
    { unit: 'in', longest_mm: 2336.8, machines: 0, reason: 'It would be large.' },
    { unit: 'cm', longest_mm: 920, machines: 1, reason: 'It fits one machine.' },
  ],
})
Object.assign(told.cato!, {
  '/ended': [ended(31, 'Old cleat', 'sent back', 'Too thin.'), ended(32, 'Buoy', 'fetched')],
  '/machines/3': { ...like('/machines/3'), to_clear: ['Sheave'], warm: ['what comes next', 'nothing'] },
})
/** A layer of two lines, as docs/view-format.md says. */
const layers = new ArrayBuffer(4 * 17)
new Uint32Array(layers).set([2, 0, 0, 1, (2 << 8) | 5])
new Float32Array(layers).set([0.2, 0.25], 1)
new Float32Array(layers).set([0.45, 1, 2, 3, 4, 0.5, 0.3], 5)
const order = ['cato', 'tess', 'nia']
const server = { who: 'cato', asked: [] as string[], refused: new Set<string>() }

async function answer(input: Request | string | URL, init?: RequestInit) {
  const r = input instanceof Request ? input : undefined
  const url = new URL(r?.url ?? String(input), 'http://shelf.test')
  const path = url.pathname.replace(/^\/api/, '')
  const method = r?.method ?? init?.method ?? 'GET'
  const says = (status: number, body: unknown) =>
    new Response(body === undefined ? null : JSON.stringify(body), {
      status,
      headers: { 'Content-Type': status < 400 ? 'application/json' : 'application/problem+json' },
    })
  if (path.endsWith('/layers')) return new Response(layers.slice(0))
  if (method === 'GET') {
    // Who comes later was told only what is otherwise to them.
    const by = [server.who, ...order].find((w) => told[w]![path] !== undefined)
    return by ? says(200, told[by]![path]) : says(404, { detail: 'It is not there.' })
  }
  const text = r ? await r.text() : String(init?.body ?? '')
  const body = /^[[{"]/.test(text) ? (JSON.parse(text) as unknown) : text || undefined
  const route = asks(method, path, body)
  const deed = `${method} ${path}${url.search} ${typeof body === 'string' ? 'a file' : JSON.stringify(body)}`
  server.asked.push(deed)
  if (!server.refused.has(deed)) {
    server.refused.add(deed)
    return says(422, {
      detail: 'Somebody else was first.',
      errors: [{ location: 'body.name', message: 'It is taken.' }],
    })
  }
  const sample = sampleOf(method, route)
  return says(sample === undefined ? 204 : 200, sample)
}

/** Shows what it is given, and gives back what people would turn in it. */
const stub = (name: string, back: Record<string, unknown>) =>
  defineComponent({
    inheritAttrs: false,
    setup:
      (_, { attrs }) =>
      () => {
        const given = Object.entries(attrs).filter(([k, v]) => typeof v !== 'function' && !/^(strip|row)$/.test(k))
        return h('div', { class: name }, [
          JSON.stringify(Object.fromEntries(given), (_k, v: unknown) => (ArrayBuffer.isView(v) ? 'numbers' : v)),
          ...Object.keys(back)
            .filter((k) => k in attrs)
            .map((k) =>
              h('button', { onClick: () => (attrs[k] as (...v: unknown[]) => void)(...[back[k]].flat(1)) }, k),
            ),
        ])
      },
  })

const label = (e: Element) =>
  [e.getAttribute('aria-label'), e.getAttribute('placeholder'), e.getAttribute('title'), e.textContent]
    .map((x) => x?.trim())
    .find(Boolean) ?? ''
const own = (e: Element) => [...e.classList].filter((c) => !c.startsWith('v-')).join('.')
/** What is one of many alike is done twice: the first of them, and another. */
const many = (e: Element) => /^(tr|li|summary|a)$/.test(e.localName) || e.matches('.run, li *, tr *')
const kind = (e: Element) =>
  many(e)
    ? `${e.localName}.${own(e)} in ${e.closest('[aria-label], section, form, table, ul, ol')?.getAttribute('aria-label') ?? ''} ${
        e.getAttribute('aria-label')?.replace(/[\d.,]+/g, '#') ??
        (e.localName === 'button'
          ? e.textContent
              ?.trim()
              .replace(/[\d.,]+/g, '#')
              .slice(0, 30)
          : '')
      }`
    : `${e.localName}.${own(e)} ${e.getAttribute('type') ?? ''} ${label(e)
        .replace(/[\d.,]+/g, '#')
        .slice(0, 40)} ${(e as HTMLInputElement).labels?.[0]?.textContent ?? ''}`
const words = ['2,5', 'Ola', '', '7']

/** What one page has that another has not, line by line. */
function changes(was: string, is: string): string[] {
  const count = new Map<string, number>()
  for (const l of was.split('\n')) count.set(l, (count.get(l) ?? 0) - 1)
  for (const l of is.split('\n')) count.set(l, (count.get(l) ?? 0) + 1)
  const out: string[] = []
  for (const [l, n] of count) if (n) out.push(`  ${n > 0 ? '+' : '−'} ${l.trim()}`)
  return out
}
const hashOf = (s: string) => {
  let hash = 0
  for (const c of s) hash = (Math.imul(hash, 31) + c.codePointAt(0)!) >>> 0
  return hash.toString(16)
}

/** Ends a walk. */
export const home = () => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
  document.body.innerHTML = ''
  untaken.length = 0
}

/** Walks through a room, or a drawer of the house, as somebody. */
export async function walk(who: string, path: string, drawer?: string) {
  vi.useFakeTimers({
    now: new Date(house.at),
    toFake: ['Date', 'setTimeout', 'clearTimeout', 'setInterval', 'clearInterval', 'performance'],
  })
  vi.stubGlobal('fetch', answer)
  vi.stubGlobal('requestAnimationFrame', (f: () => void) => setTimeout(f, 16))
  vi.stubGlobal(
    'EventSource',
    class extends EventTarget {
      close() {}
    },
  )
  vi.stubGlobal('confirm', () => true)
  Element.prototype.setPointerCapture = () => undefined
  Element.prototype.scrollIntoView = () => undefined
  localStorage.clear()
  lettersOn.value = true
  Object.assign(server, { who, asked: [], refused: new Set() })
  sayFound()
  const settle = async () => {
    await vi.advanceTimersByTimeAsync(310)
  }
  const router = makeRouter()
  await router.push(path)
  const queryClient = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: Infinity } } })
  const w = mount(App, {
    attachTo: document.body,
    global: {
      plugins: [createVuetify({ components }), [VueQueryPlugin, { queryClient }], router] as never,
      stubs: {
        PartView: stub('view', {
          'onUpdate:view': { turned: 1 },
          onFace: [
            [0, 0, 1],
            [1, 2, 3],
          ],
        }),
        HeightStrip: stub('strip', { 'onUpdate:modelValue': 1 }),
      },
    },
  })
  await vi.dynamicImportSettled()
  await settle()
  if (drawer) {
    const tabs = [...document.querySelectorAll<HTMLElement>('[role=tab]')]
    tabs.find((t) => label(t) === drawer)!.click()
    await settle()
  }
  let was = page(document.querySelector(drawer ? '.v-main' : 'body')!)
  const log = [was]
  was = page(document.body)
  const used = new Map<string, number>()
  const done = new WeakSet<Element>()
  const record = (deed: string) => {
    const is = page(document.body)
    const asked = server.asked.splice(0)
    const at = router.currentRoute.value.fullPath
    const moved = changes(was, is)
    log.push(`${deed}${at === path ? '' : ` → ${at}`}${is === was ? '' : ` ${hashOf(is)}`}`)
    log.push(
      ...asked.map((a) => `  asks ${a.slice(0, 400)}`),
      ...moved.slice(0, 16),
      ...(moved.length > 16 ? [`  and ${moved.length - 16} more`] : []),
    )
    was = is
    return asked.length > 0
  }
  const back = async () => {
    if (router.currentRoute.value.path === path) return
    void router.push(path)
    await settle()
    await vi.dynamicImportSettled()
    was = page(document.body)
  }
  const deed = async (e: HTMLElement, n: number) => {
    if (e.matches('textarea, input:not([type=checkbox], [type=radio], [type=range])')) {
      ;(e as HTMLInputElement).value = /^[\d.]+$/.test((e as HTMLInputElement).value)
        ? ['7', '2.5'][n % 2]!
        : words[n % words.length]!
      for (const type of ['input', 'change']) e.dispatchEvent(new Event(type, { bubbles: true }))
    } else if (e instanceof HTMLSelectElement) {
      e.selectedIndex = e.options.length - 1
      e.dispatchEvent(new Event('change', { bubbles: true }))
    } else {
      e.focus()
      e.click()
    }
    await settle()
  }
  for (const key of drawer
    ? []
    : [
        ...new Set(
          allKeys
            .filter((g) => path === '/shelf' || g.title !== 'Everywhere')
            .flatMap((g) => g.keys.map((k) => k.key))
            .filter((k) => k !== 'Escape'),
        ),
      ]) {
    {
      const shiftKey = key.startsWith('Shift+')
      const before = log.length
      document.body.dispatchEvent(
        new KeyboardEvent('keydown', { key: key.replace('Shift+', ''), shiftKey, bubbles: true }),
      )
      await settle()
      if (record(key)) {
        document.body.dispatchEvent(
          new KeyboardEvent('keydown', { key: key.replace('Shift+', ''), shiftKey, bubbles: true }),
        )
        await settle()
        record('once more')
      }
      if (log.length === before + 1 && log.at(-1) === key) log.pop() // it does nothing
      document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape', bubbles: true }))
      await back()
    }
  }
  for (let n = 0; n < (drawer ? 40 : 60); n++) {
    const e = [
      ...document.body.querySelectorAll<HTMLElement>('button, a, input, select, textarea, tbody tr, summary, .run'),
    ].find(
      (x) =>
        !done.has(x) &&
        !x.closest('[style*="display: none"]') &&
        (!drawer || (x.closest('[role=tabpanel]')?.getAttribute('aria-label') ?? drawer) === drawer) &&
        !(x as HTMLButtonElement).disabled &&
        !x.getAttribute('href')?.startsWith('/api') &&
        x.getAttribute('type') !== 'file' &&
        !/Sign out|Light or dark/.test(label(x)) &&
        !(path !== '/shelf' && x.closest('header')) &&
        !(drawer && x.matches('[role=tab]')) &&
        (used.get(kind(x)) ?? 0) < (many(x) ? 2 : 1),
    )
    if (!e) break
    used.set(kind(e), (used.get(kind(e)) ?? 0) + 1)
    const what = kind(e)
    if (!many(e)) done.add(e)
    await deed(e, n)
    if (record(`${n} ${what}`) && e.isConnected && !(e as HTMLButtonElement).disabled && !e.matches('input, select')) {
      await deed(e, n)
      record('once more')
    }
    await back()
    for (const x of [...notices]) hush(x.id)
  }
  w.unmount()
  await expect(log.join('\n') + '\n').toMatchFileSnapshot(
    `../testdata/walk/${who}${path.replaceAll('/', '-')}${drawer ? `-${drawer.toLowerCase().replaceAll(' ', '-')}` : ''}.txt`,
  )
  // What was written in a hurry may be refused; what is sent has the form that the server takes.
  const wrong = untaken.filter((u) => /no such route|is not taken|is missing|nothing is sent/.test(u))
  expect(wrong, 'what the server would refuse by its form').toEqual([])
}
