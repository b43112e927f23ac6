import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { mount } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import { api, forgetAnswers, Refusal, take, upload } from '../api/client'
import CheckProgress from './CheckProgress.vue'
import EntryForm from './EntryForm.vue'
import type { Field } from './fields'
import HeightStrip from './HeightStrip.vue'
import PartView from './PartView.vue'
import { asItWas } from '../test-page'
import { components, createVuetify } from '../test-vuetify'

const plugins = () => [
  createVuetify({ components }),
  [VueQueryPlugin, { queryClient: new QueryClient({ defaultOptions: { queries: { enabled: false } } }) }] as const,
]

describe('an entry of the house', () => {
  const fields: Field[] = [
    { path: 'cents', label: 'Price', kind: 'money' },
    { path: 'mm', label: 'Width', unit: 'mm' },
  ]
  const form = (save: (d: object) => Promise<void>) =>
    mount(EntryForm, {
      attachTo: document.body,
      props: { title: 'Machine', data: { cents: 120, mm: 3 }, fields, editable: true, rows: true, save },
      global: { plugins: plugins() as never },
    })

  it('takes 1,35 as one and thirty-five hundredths', async () => {
    const save = vi.fn().mockResolvedValue(undefined)
    const w = form(save)
    const inputs = w.findAll('.line input')
    const buttons = () => w.findAll('.row button').map((b) => b.attributes('disabled') === undefined)
    expect(buttons(), 'nothing to save or put back').toEqual([false, false])
    expect(inputs.map((x) => (x.element as HTMLInputElement).value)).toEqual(['1.20', '3'])
    await inputs[0]!.setValue('1,35')
    await inputs[1]!.setValue('0,4')
    expect(buttons()).toEqual([true, true])
    asItWas()
    await w.find('form').trigger('submit')
    expect(save).toHaveBeenCalledWith({ cents: 135, mm: 0.4 })
  })
  it('tells the unit of a number beside it', () => {
    expect(
      form(vi.fn())
        .findAll('.line .quiet')
        .map((u) => u.text()),
    ).toEqual(['', 'mm'])
  })
  it.each(['1,350', '1.355', 'free'])('saves nothing while %s stands for a price', async (text) => {
    const save = vi.fn().mockResolvedValue(undefined)
    const w = form(save)
    await w.findAll('.line input')[0]!.setValue(text)
    expect(w.text()).toContain(`${text} cannot be read as a price`)
    expect((w.findAll('.line input')[0]!.element as HTMLInputElement).value).toBe(text)
    asItWas()
    await w.find('form').trigger('submit')
    expect(save).not.toHaveBeenCalled()
    w.unmount()
  })
})

describe('the height strip', () => {
  // What is drawn, call by call, on a strip of 300 × 90 pixels.
  const drawn: string[] = []
  HTMLCanvasElement.prototype.getContext = (() =>
    new Proxy(
      {},
      {
        get:
          (_, k) =>
          (...a: unknown[]) =>
            drawn.push(`${String(k)} ${a.join(' ')}`),
        set: (_, k, v) => drawn.push(`${String(k)} = ${v}`) > 0,
      },
    )) as never
  for (const [side, n] of [
    ['clientWidth', 300],
    ['clientHeight', 90],
  ] as const)
    Object.defineProperty(HTMLCanvasElement.prototype, side, { value: n })
  afterEach(() => expect(drawn.splice(0)).toMatchSnapshot())
  it('stands at the last layer where a shorter slice comes', async () => {
    const strip = (n: number) =>
      Array.from({ length: n }, (_, i) => ({ top_mm: 0.2 * (i + 1), seconds: 3, grams: 1, support_grams: 0 }))
    const failed = vi.fn()
    const w = mount(HeightStrip, {
      props: { strip: strip(50), modelValue: 40 },
      global: { plugins: plugins() as never, config: { errorHandler: failed } },
    })
    await w.setProps({ strip: strip(12) })
    await nextTick()
    expect(failed).not.toHaveBeenCalled()
    expect(w.find('#layer-number').text()).toBe('12')
    expect(w.text()).toContain('top 2.40 mm')
    for (const mode of ['grams', 'support']) await w.find('select').setValue(mode)
  })
  it('is walked by keys', async () => {
    const strip = Array.from({ length: 50 }, (_, i) => ({
      top_mm: 0.2 * (i + 1),
      seconds: i === 30 ? 9 : 3,
      grams: 1,
      support_grams: i <= 40 ? 1 : 0,
    }))
    const w = mount(HeightStrip, {
      props: { strip, modelValue: 20, 'onUpdate:modelValue': (v: number) => void w.setProps({ modelValue: v }) },
      global: { plugins: plugins() as never },
    })
    for (const [key, layer] of [
      ['ArrowUp', 22],
      ['ArrowDown', 21],
      ['PageUp', 31],
      ['PageDown', 21],
      ['w', 31],
      ['u', 41],
      ['PageUp', 50],
      ['ArrowUp', 50],
      ['Home', 1],
      ['ArrowDown', 1],
      ['End', 50],
    ] as const) {
      document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }))
      await nextTick()
      expect(w.find('#layer-number').text(), key).toBe(String(layer))
    }
  })
})

describe('the part', () => {
  it.each([undefined, 2])('of version %s is fetched as that, or as the one that counts', async (version) => {
    const fetched = vi.fn().mockResolvedValue({ ok: false, status: 404 })
    vi.stubGlobal('fetch', fetched)
    const w = mount(PartView, {
      props: { pieceId: 9, row: undefined, version },
      global: { plugins: plugins() as never },
    })
    await vi.waitFor(() => expect(w.text()).toContain('cannot be shown'))
    expect(fetched.mock.calls[0]![0]).toBe(`/api/pieces/9/view?version=${version ?? 0}`)
    vi.unstubAllGlobals()
  })
})

describe('a check', () => {
  const shown = (state: 'set aside' | 'done' | 'cancelled', error = '') =>
    mount(CheckProgress, {
      props: { job: { id: 1, check: { state, error, fraction: 0 } } },
      global: { plugins: plugins() as never },
    }).text()
  it('that is set aside says why and can be tried once more', () => {
    expect(shown('set aside', 'It failed 4 times.')).toContain('Set aside. It failed 4 times.')
    expect(shown('set aside')).toContain('Try once more')
    expect(shown('cancelled')).toContain('Check again')
    expect(shown('done')).toBe('')
  })
})

describe('answers that have not changed', () => {
  it('do not come twice, and are forgotten with who signs out', async () => {
    const asked: (string | null)[] = []
    const fetch = async (r: Request) => {
      asked.push(r.headers.get('If-None-Match'))
      if (r.headers.get('If-None-Match') === '"a"') return new Response(null, { status: 304 })
      return new Response('{"steps":[],"slips":[]}', {
        status: 200,
        headers: { ETag: '"a"', 'Content-Type': 'application/json' },
      })
    }
    const get = () => api.GET('/jobs', { baseUrl: 'http://shelf.test/api', fetch })
    expect((await get()).data).toEqual({ steps: [], slips: [] })
    expect((await get()).data).toEqual({ steps: [], slips: [] })
    forgetAnswers()
    await get()
    expect(asked).toEqual([null, '"a"', null])
  })
})

describe('an answer', () => {
  const answer = (status: number, more: object) =>
    Promise.resolve({ response: new Response(null, { status }), ...more })
  const refused = async (call: Promise<unknown>) => (await call.catch((e: unknown) => e)) as Refusal
  it('is its data, or a refusal with the words and fields of the server', async () => {
    expect(await take(answer(200, { data: 7 }))).toBe(7)
    expect(await refused(take(answer(404, { error: { detail: 'Job 9 is not there.' } })))).toMatchObject({
      status: 404,
      message: 'Job 9 is not there.',
      fields: {},
    })
    const errors = [{ location: 'body.data.bed_c', message: 'is too hot' }, { message: 'nowhere' }]
    expect(await refused(take(answer(422, { error: { detail: 'validation failed', errors } })))).toMatchObject({
      status: 422,
      message: 'bed_c: is too hot',
      fields: { bed_c: 'is too hot' },
    })
    expect(await refused(take(answer(500, {})))).toMatchObject({
      status: 500,
      message: 'The server did not answer as expected.',
    })
    expect(await refused(take(Promise.reject(new TypeError('down'))))).toMatchObject({
      status: 0,
      message: 'The server cannot be reached.',
    })
  })
})

describe('an upload', () => {
  it('ends when it is cancelled, fails or is refused, each in words', async () => {
    const sent: Record<string, unknown>[] = []
    vi.stubGlobal(
      'XMLHttpRequest',
      class {
        upload = {}
        constructor() {
          sent.push(this as never)
        }
        open() {}
        setRequestHeader() {}
        send() {}
        abort() {
          ;(this as unknown as { onabort(): void }).onabort()
        }
      },
    )
    const stop = new AbortController()
    const begun = () => upload(new File(['x'], 'a b.stl'), () => undefined, stop.signal)
    const all = [begun(), begun(), begun(), begun()].map((p) =>
      p.then(String, (e: Refusal) => `${e.status} ${e.message}`),
    )
    const [cancelled, failed, refused, arrived] = sent as unknown as {
      onload(): void
      onerror(): void
      status: number
      response: object
    }[]
    failed!.onerror()
    Object.assign(refused!, { status: 413, response: { detail: 'Too large.' } }).onload()
    Object.assign(arrived!, { status: 201, response: { upload_id: 'u7' } }).onload()
    stop.abort()
    expect(await Promise.all(all)).toEqual([
      '0 Cancelled.',
      '0 a b.stl did not arrive. Try again.',
      '413 Too large.',
      'u7',
    ])
    expect(cancelled).toBeDefined()
    vi.unstubAllGlobals()
  })
})
