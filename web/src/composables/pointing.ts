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
  // That of which the worst was found when it was first looked through: what is to be done is done there. It stays, also when
  // that is done, until somebody chooses another.
  const worst = computed(() => job.value?.findings.find((x) => x.grade !== 'worth knowing' && !x.answer && x.piece_id))
  watch(
    () => [job.value?.id, job.value?.check.state, worst.value?.piece_id],
    () => (pieceId.value ??= worst.value?.piece_id || undefined),
    { immediate: true },
  )
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
  function choose(id: number) {
    pieceId.value = id
    forget()
  }
  /** The next piece, and after the last the first. */
  function nextPiece() {
    const all = job.value?.piece_set ?? []
    const i = all.findIndex((p) => p.id === piece.value?.id)
    if (all.length) choose(all[(i + 1) % all.length]!.id)
  }
  /** The next finding that has a place. */
  function nextFinding() {
    const list = job.value?.findings.filter((x) => x.places?.length) ?? []
    if (list.length) show(list[(list.indexOf(finding.value!) + 1) % list.length]!, 0)
  }
  return {
    piece,
    choose,
    nextPiece,
    nextFinding,
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
