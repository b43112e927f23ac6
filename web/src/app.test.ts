import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import userEvent from '@testing-library/user-event'
import { cleanup, render, screen, waitFor, within } from '@testing-library/vue'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import App from './App.vue'
import EntryForm from './components/EntryForm.vue'
import LeaveDialog from './components/LeaveDialog.vue'
import { withRunAt } from './components/lanes'
import type { FloorView } from './api/client'
import type { Field } from './components/fields'
import { lettersOn } from './composables/keys'
import { sayFound } from './composables/session'
import { mayLeave } from './composables/unsaved'
import { makeRouter } from './router'
import { components, createVuetify } from './test-vuetify'

// The whole app against a server of a few answers: [status, body] by method and path; a test sets others.
const server = {
  answers: {} as Record<string, [number, unknown]>,
  asked: [] as string[],
}
const nia = { id: 3, name: 'Nia Marlow', role: 'member' }
const cato = { id: 2, name: 'Cato Lindgard', role: 'coordinator' }
const shelf = { states: ['to decide'], slips: [] }
const house = {
  house: { name: 'Loft', locale: 'en-GB', currency: 'EUR', time_zone: 'UTC', week: [], start_cents: 0 },
  machines: [],
  materials: [],
  recipes: [],
  texts: {},
}

class Quiet extends EventTarget {
  close() {}
}

async function answer(input: Request | string | URL, init?: RequestInit) {
  const url = new URL(input instanceof Request ? input.url : input, 'http://shelf.test')
  const method = init?.method ?? (input instanceof Request ? input.method : 'GET')
  const key = `${method} ${url.pathname}`
  server.asked.push(key)
  const [status, body] = server.answers[key] ?? [404, { detail: 'Not there.' }]
  if (status === 0) throw new TypeError('down')
  return new Response(status === 204 ? null : JSON.stringify(body), {
    status,
    headers: { 'Content-Type': 'application/json' },
  })
}

async function app(path = '/shelf') {
  const router = makeRouter()
  await router.push(path)
  const queryClient = new QueryClient({ defaultOptions: { queries: { retry: false } } })
  render(App, {
    global: {
      plugins: [createVuetify({ components }), router, [VueQueryPlugin, { queryClient }]] as never,
      stubs: { transition: false }, // a panel is gone, and focused, when its transition has ended
    },
  })
  return { router, user: userEvent.setup(), queryClient }
}

beforeEach(() => {
  vi.stubGlobal('EventSource', Quiet)
  vi.stubGlobal('fetch', answer)
  server.asked = []
  server.answers = {
    'GET /api/session': [200, cato],
    'GET /api/jobs': [200, shelf],
    'GET /api/house': [200, house],
    'GET /api/people': [200, [cato, nia]],
    'GET /api/storage': [200, {}],
    'GET /api/settings': [200, { machine: [], material: [], recipe: [], units: [], repair_steps: [], line_kinds: [] }],
  }
  sayFound()
  lettersOn.value = true
})
afterEach(() => {
  cleanup()
  vi.unstubAllGlobals()
})

describe('a server that is away', () => {
  it('is said to be, before anybody knows who sits here: no form that could not be answered', async () => {
    server.answers['GET /api/session'] = [502, {}]
    await app()
    expect(await screen.findByText(/The server does not answer/)).toBeTruthy()
    expect(screen.queryByLabelText('Login')).toBeNull()
    server.answers['GET /api/session'] = [401, {}]
    await userEvent.click(screen.getByText('Try now'))
    expect(await screen.findByLabelText('Login')).toBeTruthy()
  })
  it('is said by the room that could not be loaded, and loaded again when asked', async () => {
    server.answers['GET /api/jobs'] = [502, {}]
    const { user } = await app()
    expect(await screen.findByText(/The shelf could not be loaded. The server does not answer/)).toBeTruthy()
    server.answers['GET /api/jobs'] = [200, shelf]
    await user.click(screen.getByText('Load it again'))
    expect(await screen.findByText('All decided.')).toBeTruthy()
  })
})

describe('somebody who is signed out in the middle', () => {
  it('signs in over the page, which stays with what was being written', async () => {
    const { user, queryClient } = await app()
    await screen.findByText('All decided.')
    await user.keyboard('h')
    const wish = await screen.findByLabelText(/^Wish/)
    await user.type(wish, 'blue, please')
    server.answers['GET /api/jobs'] = [401, { detail: 'Sign in first.' }]
    server.answers['GET /api/session'] = [401, {}]
    void queryClient.invalidateQueries({ queryKey: ['shelf'] })
    expect(await screen.findByText('You are signed out')).toBeTruthy()
    server.answers['GET /api/jobs'] = [200, shelf]
    server.answers['GET /api/session'] = [200, cato]
    server.answers['POST /api/session'] = [200, {}]
    await user.type(screen.getByLabelText('Login'), 'cato')
    await user.type(screen.getByLabelText('Password'), 'secret')
    await user.keyboard('{Enter}')
    await waitFor(() => expect(screen.queryByText('You are signed out')).toBeNull())
    expect(screen.getByLabelText(/^Wish/)).toHaveProperty('value', 'blue, please')
  })
  it('leaves nothing to somebody else who signs in there', async () => {
    const { user, queryClient } = await app()
    await screen.findByText('All decided.')
    await user.keyboard('h')
    await user.type(await screen.findByLabelText(/^Wish/), 'blue, please')
    server.answers['GET /api/jobs'] = [401, {}]
    server.answers['GET /api/session'] = [401, {}]
    void queryClient.invalidateQueries({ queryKey: ['shelf'] })
    await screen.findByText('You are signed out')
    server.answers['GET /api/jobs'] = [200, shelf]
    server.answers['GET /api/session'] = [200, nia]
    server.answers['POST /api/session'] = [200, {}]
    await user.type(screen.getByLabelText('Login'), 'nia')
    await user.type(screen.getByLabelText('Password'), 'secret{Enter}')
    await waitFor(() => expect(screen.getByText('Nia Marlow')).toBeTruthy())
    await waitFor(() => expect(document.body.textContent).not.toContain('You are signed out'))
    for (const field of screen.queryAllByLabelText(/^Wish/)) expect(field).toHaveProperty('value', '')
  })
})

describe('keys', () => {
  it('do nothing in the room behind a panel, which Esc closes, with the focus back where it was', async () => {
    const { user, router } = await app()
    await screen.findByText('All decided.')
    const from = screen.getByLabelText('Light or dark')
    from.focus()
    await user.keyboard('?')
    const list = await screen.findByRole('dialog', { name: 'Keys' })
    await waitFor(() => expect(list.contains(document.activeElement)).toBe(true))
    await user.keyboard('2')
    expect(router.currentRoute.value.path, 'the room is behind').toBe('/shelf')
    await user.keyboard('{Escape}')
    await waitFor(() => expect(document.activeElement).toBe(from))
    await user.keyboard('2')
    await waitFor(() => expect(router.currentRoute.value.path).toBe('/counter'))
  })
  it('of one letter can be switched off, and the list says so', async () => {
    const { user, router } = await app()
    await screen.findByText('All decided.')
    await user.keyboard('?')
    const list = await screen.findByRole('dialog', { name: 'Keys' })
    await user.click(within(list).getByRole('checkbox'))
    await user.keyboard('{Escape}')
    await waitFor(() => expect(screen.queryByRole('dialog', { name: 'Keys' })).toBeNull())
    await user.keyboard('2h')
    expect(router.currentRoute.value.path).toBe('/shelf')
    await user.keyboard('?')
    await user.click(within(await screen.findByRole('dialog', { name: 'Keys' })).getByRole('checkbox'))
    expect(lettersOn.value).toBe(true)
  })
  it('of rooms are those that one may enter', async () => {
    server.answers['GET /api/session'] = [200, nia]
    const { user, router } = await app()
    await screen.findByText('All decided.')
    await user.keyboard('5')
    expect(router.currentRoute.value.path).toBe('/shelf')
    await user.keyboard('?')
    const list = await screen.findByRole('dialog', { name: 'Keys' })
    expect(within(list).queryByText('Go to the House')).toBeNull()
    expect(within(list).getByText('Go to the Bench')).toBeTruthy()
  })
})

describe('what two write at once', () => {
  const fields: Field[] = [
    { path: 'cents', label: 'Price', kind: 'money' },
    { path: 'mm', label: 'Width', unit: 'mm' },
    { path: 'name', label: 'Name', kind: 'text' },
  ]
  const base = { cents: 120, mm: 3, name: 'Bowline' }
  function form(save = vi.fn().mockResolvedValue(undefined)) {
    const v = render(
      {
        components: { EntryForm, LeaveDialog },
        template: '<v-app><EntryForm v-bind="$attrs" /><LeaveDialog /></v-app>',
      },
      {
        props: { title: 'Bowline', data: base, fields, editable: true, rows: true, save } as never,
        global: {
          plugins: [
            createVuetify({ components }),
            [VueQueryPlugin, { queryClient: new QueryClient({ defaultOptions: { queries: { enabled: false } } }) }],
          ] as never,
        },
      },
    )
    const value = (label: string) => (screen.getByLabelText(new RegExp(`^${label}`)) as HTMLInputElement).value
    const write = async (label: string, text: string) => {
      const field = screen.getByLabelText(new RegExp(`^${label}`))
      await userEvent.clear(field)
      await userEvent.type(field, `${text}{Tab}`)
    }
    return { v, save, value, write }
  }
  it('stays as it was written when somebody else saves; what was not written becomes theirs', async () => {
    const { v, save, value, write } = form()
    await write('Width', '4.5')
    await v.rerender({ data: { ...base, cents: 135, name: 'Clew' } } as never)
    expect([value('Price'), value('Width'), value('Name')]).toEqual(['1.35', '4.5', 'Clew'])
    expect(screen.getByText('Changed meanwhile.')).toBeTruthy()
    await userEvent.click(screen.getByText('Save'))
    expect(save).toHaveBeenCalledWith({ cents: 135, mm: 4.5, name: 'Clew' })
  })
  it('is told where both wrote the same, and can be theirs', async () => {
    const { v, value, write } = form()
    await v.rerender({ data: { ...base, mm: 7 } } as never)
    expect([value('Width'), screen.queryByText('Changed meanwhile.')], 'nothing was written').toEqual(['7', null])
    await write('Width', '4.5')
    await v.rerender({ data: { ...base, mm: 9 } } as never)
    expect(screen.getByText(/Width: they set 9/)).toBeTruthy()
    expect(value('Width')).toBe('4.5')
    await userEvent.click(screen.getByText('Take theirs'))
    expect(value('Width')).toBe('9')
    expect(screen.queryByText('Changed meanwhile.')).toBeNull()
  })
  it('asks before it is left unsaved, and not once it is put back', async () => {
    const { write, value } = form()
    await expect(mayLeave()).resolves.toBe(true)
    await write('Name', 'Clew')
    const stay = mayLeave()
    await userEvent.click(await screen.findByText('Stay'))
    await expect(stay).resolves.toBe(false)
    expect(value('Name')).toBe('Clew')
    await userEvent.click(screen.getByText('Put back'))
    await expect(mayLeave()).resolves.toBe(true)
    await write('Name', 'Clew')
    const leave = mayLeave()
    await userEvent.click(await screen.findByText('Leave it'))
    await expect(leave).resolves.toBe(true)
  })
})

describe('a run that is moved', () => {
  const run = (id: number, machine_id: number, from: number, movable = true) =>
    ({
      id,
      machine_id,
      movable,
      seconds: 3600,
      start: new Date(Date.UTC(2026, 10, 27, from)).toISOString(),
      finish: new Date(Date.UTC(2026, 10, 27, from + 1)).toISOString(),
    }) as FloorView['lanes'][number]['runs'][number]
  const floor = {
    now: '2026-11-27T09:30:00Z',
    open: [],
    lanes: [
      { machine_id: 1, runs: [run(1, 1, 9, false), run(2, 1, 10), run(3, 1, 11)] },
      { machine_id: 2, runs: [run(4, 2, 10)] },
      { machine_id: 3, runs: [] },
    ],
  } as unknown as FloorView
  const laid = (f: FloorView) => f.lanes.map((l) => l.runs.map((r) => `${r.id}@${r.start!.slice(11, 13)}`).join(' '))
  it.each([
    [3, 1, 0, ['1@09 3@10 2@11', '4@10', '']],
    [2, 2, 1, ['1@09 3@10', '4@10 2@11', '']],
    [2, 3, 9, ['1@09 3@10', '4@10', '2@09']],
    [99, 2, 0, ['1@09 2@10 3@11', '4@10', '']],
  ])('run %i to machine %i, place %i, is shown there at once', (id, machine_id, place, want) => {
    expect(laid(withRunAt(floor, id, { machine_id, place }))).toEqual(want)
    expect(laid(floor), 'the floor it came from stays').toEqual(['1@09 2@10 3@11', '4@10', ''])
  })
})
