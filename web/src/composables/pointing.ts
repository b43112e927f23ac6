import { computed, ref, watch, type ComputedRef } from 'vue'
import type { JobFinding, JobView } from '../api/client'
import { useEvidence } from '../api/queries'

/** Which piece of a job is looked at, and which finding is pointed at. */
export function usePointing(job: ComputedRef<JobView | undefined>) {
  const pieceId = ref<number>()
  const finding = ref<JobFinding>()
  const at = ref(0)
  const forget = () => (finding.value = undefined)
  watch(
    () => job.value?.id,
    () => {
      pieceId.value = undefined
      forget()
    },
  )
  watch(() => job.value?.revision, forget)
  const piece = computed(() => job.value?.piece_set.find((p) => p.id === pieceId.value) ?? job.value?.piece_set[0])
  const evidence = useEvidence(
    () => piece.value?.id,
    () => piece.value?.current,
    () => !!finding.value,
  )
  function show(x: JobFinding, place: number) {
    pieceId.value = x.piece_id
    finding.value = x
    at.value = place
  }
  return {
    piece,
    choose: (id: number) => {
      pieceId.value = id
      forget()
    },
    finding: computed(() => finding.value),
    show,
    marks: computed(() =>
      finding.value ? evidence.data.value?.find((e) => e.check === finding.value?.check) : undefined,
    ),
    place: computed(() => finding.value?.places?.[at.value]),
    /** Changes when the piece's surface has. */
    stamp: computed(() =>
      piece.value ? `${piece.value.current}/${piece.value.unit}/${piece.value.surface.volume_mm3}` : '',
    ),
  }
}
