import { computed, ref, watch, type Ref } from 'vue'

const copy = <T>(v: T): T => JSON.parse(JSON.stringify(v)) as T
const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)

/** Where in a draft a value is: how to get and to set it, and what it is called. */
export interface Spot<T> {
  label: string
  get: (data: T) => unknown
  set: (data: T, value: unknown) => void
}

/**
 * What somebody writes of an entry while others may save it, too. Where the writer has changed
 * nothing, what others saved comes in; what the writer has changed stays, and where both changed
 * the same, clashes tells it until it is saved or put back.
 */
export function useDraft<T>(entry: () => T | undefined, spots: () => readonly Spot<T>[]) {
  const base = ref() as Ref<T | undefined>
  const draft = ref() as Ref<T | undefined>
  const meanwhile = ref(false)
  const clashes = ref<{ label: string; theirs: unknown }[]>([])
  function putBack() {
    const e = entry()
    base.value = e && copy(e)
    draft.value = e && copy(e)
    meanwhile.value = false
    clashes.value = []
  }
  const dirty = computed(() => !same(draft.value, base.value))
  watch(
    entry,
    (theirs) => {
      const mine = draft.value
      const was = base.value
      if (!theirs || !mine || !was || !dirty.value || same(theirs, was)) {
        if (!dirty.value || !theirs) putBack()
        return
      }
      const merged = copy(theirs)
      const both: { label: string; theirs: unknown }[] = []
      for (const s of spots()) {
        if (same(s.get(mine), s.get(was))) continue
        if (!same(s.get(theirs), s.get(was)) && !same(s.get(theirs), s.get(mine)))
          both.push({ label: s.label, theirs: s.get(theirs) })
        s.set(merged, s.get(mine))
      }
      base.value = copy(theirs)
      draft.value = merged
      clashes.value = both
      meanwhile.value = true
    },
    { immediate: true },
  )
  return { draft, dirty, meanwhile, clashes, putBack }
}
