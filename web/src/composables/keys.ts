import { onScopeDispose, reactive, readonly } from 'vue'

export interface Key {
  /** As KeyboardEvent.key; letters in lower case, with "Shift+" in front if wanted. */
  key: string
  does: string
  run: (e: KeyboardEvent) => void
  /** @default true */
  when?: () => boolean
}

const groups = reactive<{ title: string; keys: Key[] }[]>([])

/** Every key that works now, for the list behind "?". */
export const allKeys = readonly(groups)

const spelled: Record<string, string> = { ArrowDown: '↓', ArrowUp: '↑', ArrowLeft: '←', ArrowRight: '→', Escape: 'Esc' }
export const spell = (key: string) =>
  key
    .split('+')
    .map((k) => spelled[k] ?? (k.length === 1 ? k.toUpperCase() : k))
    .join(' + ')

/** True where a key means text, not a command. */
export function typing(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false
  return (
    target.isContentEditable ||
    ['INPUT', 'TEXTAREA', 'SELECT'].includes(target.tagName) ||
    target.getAttribute('role') === 'combobox'
  )
}

function onKey(e: KeyboardEvent) {
  if (e.defaultPrevented || e.ctrlKey || e.metaKey || e.altKey || typing(e.target)) return
  const plain = e.key.length === 1 ? e.key.toLowerCase() : e.key
  const names = [plain]
  if (e.shiftKey) names.unshift(`Shift+${plain}`)
  // The room that came last is the one in view: it goes first.
  for (const g of [...groups].reverse()) {
    for (const name of names) {
      const k = g.keys.find((x) => x.key === name && (x.when?.() ?? true))
      if (!k) continue
      // Enter and space on a focused control are that control's.
      if (
        (k.key === 'Enter' || k.key === ' ') &&
        e.target instanceof HTMLElement &&
        e.target.closest('button, a, [role=button]')
      )
        return
      e.preventDefault()
      k.run(e)
      return
    }
  }
}

/** Makes keys work for as long as the calling component lives. */
export function useKeys(title: string, keys: Key[]) {
  const group = { title, keys }
  if (groups.length === 0) window.addEventListener('keydown', onKey)
  groups.push(group)
  const mine = groups[groups.length - 1]
  onScopeDispose(() => {
    const i = groups.indexOf(mine!)
    if (i >= 0) groups.splice(i, 1)
    if (groups.length === 0) window.removeEventListener('keydown', onKey)
  })
}
