<script setup lang="ts">
import { computed, ref } from 'vue'
import { upload, type JobView, type PieceView } from '../api/client'
import { useChangePiece, useReplaceFile } from '../api/queries'
import { useFormats } from '../composables/format'

const props = defineProps<{ job: JobView; piece: PieceView }>()
const f = useFormats()
const change = useChangePiece()
const replace = useReplaceFile()
const busy = computed(() => change.isPending.value || ['queued', 'running'].includes(props.job.check.state))
const field = ref<HTMLInputElement>()
const share = ref<number>()
const wrong = ref('')
async function chosen() {
  const file = field.value?.files?.[0]
  if (!file) return
  const { id } = props.piece
  wrong.value = ''
  share.value = 0
  try {
    const up = await upload(file, (s) => (share.value = s))
    replace.mutate({ id, revision: props.job.revision, upload: up })
  } catch (e) {
    wrong.value = (e as Error).message
  } finally {
    share.value = undefined
    if (field.value) field.value.value = ''
  }
}
const leave = (id: number, left_out: boolean) => change.mutate({ id, body: { revision: props.job.revision, left_out } })
</script>

<template>
  <section class="file small">
    <input ref="field" type="file" hidden aria-label="Another file in its place" @change="chosen" />
    <button type="button" class="link" :disabled="busy || share !== undefined" @click="field?.click()">
      Put another file in its place …
    </button>
    <button
      v-if="job.piece_set.length > 1"
      type="button"
      class="link leave"
      :disabled="busy"
      @click="leave(piece.id, true)"
    >
      Leave it out
    </button>
    <p v-if="share !== undefined" class="quiet" role="status">{{ f.number(100 * share) }} % has arrived</p>
    <p v-if="wrong" class="wrong" role="alert">■ {{ wrong }}</p>
    <p v-for="p in job.left_out" :key="p.id" class="out">
      <span class="quiet"
        >Left out: {{ p.name }}<template v-if="p.copies > 1"> × {{ p.copies }}</template></span
      >
      <button type="button" class="link back" :disabled="busy" @click="leave(p.id, false)">put it back</button>
    </p>
  </section>
</template>

<style scoped>
.file {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
}
.link {
  text-decoration: underline;
  color: var(--accent-words) !important;
}
.wrong {
  color: var(--stop);
}
.out {
  flex-basis: 100%;
  display: flex;
  flex-wrap: wrap;
  gap: 0 8px;
}
</style>
