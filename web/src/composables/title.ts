import { useTitle } from '@vueuse/core'
import { computed } from 'vue'

/** The tab is called by what is looked at, then by the room: tabs are told apart by their first words. */
export function useRoomTitle(room: string, what: () => string | undefined = () => undefined) {
  useTitle(computed(() => [what(), room, 'Job Shelf'].filter(Boolean).join(' · ')))
}
