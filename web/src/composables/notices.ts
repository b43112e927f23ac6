import { reactive, readonly } from 'vue'

export interface Notice {
  id: number
  text: string
  kind: 'done' | 'refused'
}

const list = reactive<Notice[]>([])
let next = 1

/** What the program has said lately, newest last. */
export const notices = readonly(list)

/** Says something for a few seconds; refusals stay longer. */
export function say(text: string, kind: Notice['kind'] = 'done') {
  const id = next++
  list.push({ id, text, kind })
  setTimeout(() => hush(id), kind === 'done' ? 5000 : 12_000)
}

export function hush(id: number) {
  const i = list.findIndex((n) => n.id === id)
  if (i >= 0) list.splice(i, 1)
}
