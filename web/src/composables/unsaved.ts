import { useEventListener } from '@vueuse/core'
import { onScopeDispose, reactive, ref, watchEffect } from 'vue'

interface Unsaved {
  what: () => string
  dirty: () => boolean
}

const forms = reactive(new Set<Unsaved>())
let answer: ((leave: boolean) => void) | undefined

/** What would be lost, while that is asked; the dialog in App answers. */
export const leaving = ref<string>()

/** Says of a form that it holds what is not saved, while it does. */
export function useUnsaved(what: () => string, dirty: () => boolean) {
  const mine = { what, dirty }
  watchEffect(() => (dirty() ? forms.add(mine) : forms.delete(mine)))
  onScopeDispose(() => forms.delete(mine))
}

/** Asks before what is not saved is left; yes at once where there is none. */
export function mayLeave(): Promise<boolean> {
  const first = [...forms].find((x) => x.dirty())
  if (!first) return Promise.resolve(true)
  answer?.(false)
  leaving.value = first.what()
  return new Promise((resolve) => (answer = resolve))
}

export function answerLeave(leave: boolean) {
  leaving.value = undefined
  if (leave) forms.clear()
  answer?.(leave)
  answer = undefined
}

/** Closing the tab asks, too, in the browser's own words. */
export function useUnsavedTab() {
  useEventListener(window, 'beforeunload', (e) => {
    if (forms.size) e.preventDefault()
  })
}
