import { reactive, readonly } from 'vue'

export interface Notice {
  id: number
  text: string
  kind: 'done' | 'refused'
  /** Undoes what it says, as long as it is said. */
  undo?: () => void
}

const list = reactive<Notice[]>([])
let next = 1

/** What the program has said lately, newest last. */
export const notices = readonly(list)

/** Says something for a few seconds; refusals stay longer, and what can be undone for ten. */
export function say(text: string, kind: Notice['kind'] = 'done', undo?: () => void) {
  const id = next++
  list.push(undo ? { id, text, kind, undo } : { id, text, kind })
  setTimeout(() => hush(id), undo ? 10_000 : kind === 'done' ? 5000 : 12_000)
}

/** Undoes what was done last, where it can be. */
export function undoLast() {
  const last = list.findLast((n) => n.undo)
  if (!last) return
  hush(last.id)
  last.undo?.()
}

export function hush(id: number) {
  const i = list.findIndex((n) => n.id === id)
  if (i >= 0) list.splice(i, 1)
}
