import { nextTick, onScopeDispose, reactive, watch, type Ref } from 'vue'

const stack = reactive<symbol[]>([])

/** The panel that lies on top; what lies under it hears no keys. */
export const topPanel = () => stack.at(-1)

/**
 * Tells of a panel (a dialog, a sheet, a menu) while it is open, and brings the focus back to
 * where it was when it closes. The symbol goes to useKeys, for keys of its own.
 */
export function usePanel(open: Readonly<Ref<boolean>>): symbol {
  const me = Symbol('panel')
  let before: Element | null = null
  const leave = () => {
    const i = stack.indexOf(me)
    if (i >= 0) stack.splice(i, 1)
  }
  watch(
    open,
    (is, was) => {
      if (is) {
        before = document.activeElement
        stack.push(me)
      } else if (was) {
        leave()
        const back = before
        void nextTick(() => back instanceof HTMLElement && back.isConnected && back.focus({ preventScroll: true }))
      }
    },
    { immediate: true, flush: 'sync' },
  )
  onScopeDispose(leave)
  return me
}
