import { computed } from 'vue'
import { useHouse } from '../api/queries'

/** The words of the core, as the server has them: repair steps, units, kinds of lines. */
export function useWords() {
  const house = useHouse()
  const texts = computed(() => house.data.value?.texts)
  return {
    steps: computed(() => texts.value?.repair_steps ?? []),
    units: computed(() => texts.value?.units ?? []),
    unitName: (key: string | undefined) => texts.value?.units?.find((u) => u.key === key)?.name ?? key ?? '',
    kinds: computed(() => texts.value?.line_kinds ?? []),
  }
}
