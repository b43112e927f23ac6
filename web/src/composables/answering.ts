import { computed, type ComputedRef } from 'vue'
import type { JobFinding, JobView } from '../api/client'
import { useAnswer, useWho } from '../api/queries'
import { nextOpen, readyReason } from '../components/answers'
import { useKeys } from './keys'

/** Who may answer what was found on a job, how, and the key that does. */
export function useAnswering(
  room: string,
  job: ComputedRef<JobView | undefined>,
  found: ComputedRef<JobFinding[]> = computed(() => job.value?.findings ?? []),
) {
  const who = useWho()
  const answer = useAnswer()
  const may = computed(() => {
    const role = who.data.value?.role
    return job.value?.may.decide && role && role !== 'member' ? role : undefined
  })
  function answerIt(x: JobFinding, reason: string) {
    if (job.value && x.key) answer.mutate({ id: job.value.id, revision: job.value.revision, key: x.key, reason })
  }
  const open = computed(() => may.value && nextOpen(found.value, may.value === 'steward'))
  useKeys(room, [
    {
      key: 'w',
      does: 'It may be so: answer what is to be decided',
      run: () => open.value && answerIt(open.value, readyReason),
      when: () => !!open.value && !answer.isPending.value,
    },
  ])
  return { may, answerIt }
}
