import { useEventListener, useLocalStorage } from '@vueuse/core'
import { effectScope, onScopeDispose, reactive, readonly } from 'vue'
import { topPanel } from './panels'

export interface Key {
  /** As KeyboardEvent.key; letters in lower case, with "Shift+" in front if wanted. */
  key: string
  does: string
  run: (e: KeyboardEvent) => void
  /** @default true */
  when?: () => boolean
}

interface Group {
  title: string
  keys: Key[]
  panel: symbol | undefined
}

const groups = reactive<Group[]>([])

/** Every key that works now, for the list behind "?". */
export const allKeys = readonly(groups)

/** Keys of a single letter or sign can be switched off: speech input types them by chance (WCAG 2.1.4). */
export const lettersOn = useLocalStorage('letter-keys', true, { writeDefaults: false })

const spelled: Record<string, string> = {
  ArrowDown: '↓',
  ArrowUp: '↑',
  ArrowLeft: '←',
  ArrowRight: '→',
  Escape: 'Esc',
}
const spellOne = (k: string) => spelled[k] ?? (k.length === 1 ? k.toUpperCase() : k)
export const spell = (key: string) => key.split('+').map(spellOne).join(' + ')

const single = (key: string) => key.length === 1 || /^Shift\+.$/.test(key)

/** Inputs into which nothing is written. */
const unwritten = ['button', 'checkbox', 'color', 'file', 'image', 'radio', 'range', 'reset', 'submit']

/** True where a key means text, not a command. */
export function typing(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false
  if (target instanceof HTMLInputElement) return !unwritten.includes(target.type)
  return (
    target.isContentEditable ||
    ['TEXTAREA', 'SELECT'].includes(target.tagName) ||
    target.getAttribute('role') === 'combobox'
  )
}

/** True where a control has its own use for a key: space and arrows choose among radios, Enter presses. */
function taken(e: KeyboardEvent): boolean {
  const t = e.target
  if (!(t instanceof HTMLElement)) return false
  const input = t instanceof HTMLInputElement ? t.type : ''
  if (e.key.startsWith('Arrow')) {
    if (input === 'radio' || input === 'range') return true
    return !!t.closest('.v-slider, [role=tab], [role=menu], [role=listbox]')
  }
  if (e.key === ' ' && input) return true
  return (e.key === 'Enter' || e.key === ' ') && !!t.closest('button, a, summary, [role=button], [role=tab]')
}

function onKey(e: KeyboardEvent) {
  if (e.defaultPrevented || e.ctrlKey || e.metaKey || e.altKey || typing(e.target) || taken(e)) return
  const plain = e.key.length === 1 ? e.key.toLowerCase() : e.key
  const names = e.shiftKey ? [`Shift+${plain}`, plain] : [plain]
  const top = topPanel()
  // A list that a field has opened is that field's.
  if (!top && e.target instanceof HTMLElement && e.target.closest('.v-overlay-container')) return
  // What is meant with Shift goes before what is meant without, whoever has it; the room that came
  // last is the one in view: it goes first.
  for (const name of names) {
    if (single(name) && !lettersOn.value && name !== '?') continue
    for (const g of [...groups].reverse()) {
      if (g.panel !== top) continue
      const k = g.keys.find((x) => x.key === name && (x.when?.() ?? true))
      if (!k) continue
      e.preventDefault()
      k.run(e)
      return
    }
  }
}

// Heard for as long as anybody has keys, whoever came first.
const ear = effectScope(true)
let unhear: (() => void) | undefined

/** Makes keys work for as long as the calling component lives; those of a panel, while it is on top. */
export function useKeys(title: string, keys: Key[], panel?: symbol) {
  if (!groups.length) ear.run(() => (unhear = useEventListener(window, 'keydown', onKey, { passive: false })))
  groups.push({ title, keys, panel })
  const mine = groups[groups.length - 1]
  onScopeDispose(() => {
    const i = groups.indexOf(mine!)
    if (i >= 0) groups.splice(i, 1)
    if (!groups.length) unhear?.()
  })
}
