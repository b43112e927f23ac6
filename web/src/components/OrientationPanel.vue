<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { JobView, LadderRow, PieceView } from '../api/client'
import { useChangePiece, useStepPiece } from '../api/queries'
import { useFormats } from '../composables/format'
import { useKeys } from '../composables/keys'
import { grammar, readStanding } from '../composables/standing'
import { restingOn, turned } from '../composables/turns'
import type { Stand } from './partScene'

const props = defineProps<{
  job: JobView
  piece: PieceView
  row: LadderRow | undefined
  may: boolean
  /** Whether the panel of settings has the key for taking back. */
  elsewhere: boolean
}>()
/** Whether a face is being picked in the view to rest on. */
const picking = defineModel<boolean>('picking', { default: false })
/** How it would stand while it is dragged. */
const preview = defineModel<Stand | undefined>('preview')
const emit = defineEmits<{ open: [] }>()
const f = useFormats()
const change = useChangePiece()
const now = computed(() => props.piece.orientation)
const busy = computed(() => change.isPending.value || ['queued', 'running'].includes(props.job.check.state))
const open = computed(() => props.may && props.job.may.change && !busy.value && !!now.value)

/** Has it stand so; true when it was taken. */
async function stand(after: Stand | null, why: string) {
  if (!open.value) return false
  const same = JSON.stringify(after?.scale) === JSON.stringify(now.value?.stand.scale)
  const body = after ? { stand: after as NonNullable<typeof now.value>['stand'], why: same ? '' : why } : { best: true }
  try {
    await change.mutateAsync({ id: props.piece.id, body: { revision: props.job.revision, ...body } })
    return true
  } catch {
    return false // the refusal has been said
  }
}
const set = (after: Stand | null, why = '') => stand(after, why)
const step = useStepPiece()
function back(way: 'undo' | 'redo') {
  if (open.value && !step.isPending.value && props.piece[way] > 0)
    step.mutate({ id: props.piece.id, revision: props.job.revision, way })
}

/** What lays it: the nozzles of the machine looked at, or of any that has several. */
const nozzles = computed(
  () => [props.row, ...props.job.ladder].find((r) => (r?.nozzles.length ?? 0) > 1)?.nozzles ?? [],
)
/** Along which way it is pulled in use, in the model's coordinates. */
const pull = (load: [number, number, number] | null) =>
  open.value &&
  change.mutate({
    id: props.piece.id,
    body: { revision: props.job.revision, ...(load ? { load } : { no_load: true }) },
  })
const lay = (nozzle: number) =>
  open.value && change.mutate({ id: props.piece.id, body: { revision: props.job.revision, nozzle } })

function choose(n: number) {
  const w = now.value?.ways[n]
  if (w && now.value && !w.now) void set({ ...now.value.stand, turn: w.turn })
}

const several = computed(() => open.value && (now.value?.ways.length ?? 0) > 1)
function next(by: number) {
  const n = now.value?.ways.length ?? 0
  const at = now.value?.ways.findIndex((w) => w.now) ?? -1
  choose(at < 0 ? 0 : (at + by + n) % n)
}

// Dragged by degrees: seen at once, and so it stands when it is let go.
const axes = ['x', 'y', 'z'] as const
const by = ref({ x: 0, y: 0, z: 0 })
const dragged = (axis: (typeof axes)[number]) =>
  now.value && by.value[axis]
    ? { ...now.value.stand, turn: turned(now.value.stand.turn, axis, by.value[axis]) }
    : undefined
function drag(axis: (typeof axes)[number]) {
  preview.value = open.value ? dragged(axis) : undefined
}
async function letGo(axis: (typeof axes)[number]) {
  const to = dragged(axis)
  by.value[axis] = 0
  if (to) await set(to)
  preview.value = undefined
}

const line = ref('')
const wrong = ref('')
const field = ref<{ focus(): void }>()
async function say() {
  if (!now.value || !line.value.trim()) return
  const s = readStanding(line.value, {
    stand: now.value.stand,
    size: now.value.size_mm,
    fit: props.row && (props.row.fits ? 1 : props.row.scale_to_fit),
    read: f.value.read,
  })
  wrong.value = 'wrong' in s ? s.wrong : ''
  if ('wrong' in s) return
  if ('nozzle' in s) lay(s.nozzle)
  else if ('load' in s) pull(s.load)
  else await ('best' in s ? set(null) : set(s.stand, s.why))
  if (!change.isError.value) line.value = ''
}
watch(
  () => props.piece.id,
  () => {
    picking.value = false
    line.value = wrong.value = ''
  },
)

/** Whether the face that is clicked is the one that is pulled at. */
const pulling = ref(false)
/** A face was picked: its way out, in the model's coordinates. */
function rest(out: readonly [number, number, number]) {
  picking.value = false
  if (pulling.value) {
    pulling.value = false
    pull([...out])
    return
  }
  if (now.value) void set({ ...now.value.stand, turn: restingOn(out, now.value.stand) })
}
function pick(toPull: boolean) {
  if (!open.value) return
  const on = !picking.value || pulling.value !== toPull
  picking.value = on // the room's: it is there in a moment
  pulling.value = toPull && on
}
defineExpose({ rest, focus: () => field.value?.focus() })

useKeys('How it stands', [
  { key: 'o', does: 'Say how it stands, or how large', run: () => emit('open'), when: () => !!now.value },
  { key: 'n', does: 'Stand it the next best way', run: () => next(1), when: () => several.value },
  { key: 'Shift+n', does: 'Stand it the way before', run: () => next(-1), when: () => several.value },
  { key: 'd', does: 'Rest it on a face that you click', run: () => pick(false), when: () => open.value },
  {
    key: 'Shift+d',
    does: 'Say which way it is pulled, by a face that you click',
    run: () => pick(true),
    when: () => open.value,
  },
  {
    key: 'Backspace',
    does: 'Take the last change of the piece back',
    run: () => back('undo'),
    when: () => !props.elsewhere && props.piece.undo > 0,
  },
  {
    key: 'Shift+Backspace',
    does: 'Do it again',
    run: () => back('redo'),
    when: () => !props.elsewhere && props.piece.redo > 0,
  },
])
const percent = computed(() => {
  const s = now.value?.stand.scale ?? []
  const each = s.map((v) => f.value.number(100 * v, 1))
  return new Set(each).size === 1 ? `${each[0]} %` : `${each.join(' × ')} %`
})
</script>

<template>
  <section v-if="now" class="stand" aria-label="How it stands" :data-undo="piece.undo" :data-redo="piece.redo">
    <p class="told">
      <strong>{{ now.fixed ? 'It stands as somebody wants it' : 'It stands as it prints best' }}</strong><template
        v-if="now.why"
        >: {{ now.why }}</template
      >.
      <span class="num"
        >{{ now.size_mm.map((v) => f.number(v, 1)).join(' × ') }} mm, {{ percent
        }}{{ now.stand.mirror ? ', mirrored' : '' }}</span
      >
    </p>
    <p v-if="busy" class="quiet" role="status">Working it out …</p>
    <p v-if="several" class="small quiet">The best first; <kbd>N</kbd> stands it the next way.</p>
    <ol v-if="now.ways.length" class="ways">
      <li v-for="(w, i) in now.ways" :key="i" :class="{ now: w.now }">
        <button type="button" :disabled="!open || w.now" :aria-pressed="w.now" @click="choose(i)">
          <span class="num quiet">{{ i + 1 }}</span>
          <span class="reason">{{ w.reason }}</span>
          <span class="small quiet facts"
            ><span class="num">{{ f.number(w.contact_mm2 / 100, 1) }} cm² on the plate</span
            ><span class="num">least layer {{ f.number(w.strength_mm2, 0) }} mm²</span
            ><span v-if="piece.load" :class="{ over: (w.along_load ?? 0) > 0.25 }">{{
              (w.along_load ?? 0) > 0.25 ? '▲ the pull parts its layers' : 'layers run along the pull'
            }}</span
            ><span v-if="!w.fits" class="over"
              >▲ fits no machine; at
              <span class="num">{{ f.number(Math.floor(1000 * w.scale_to_fit) / 10, 1) }} %</span></span
            ></span
          >
        </button>
      </li>
    </ol>
    <p v-else class="quiet">Its surface has to be mended before it can be said how it prints best.</p>
    <form class="line" @submit.prevent="say">
      <v-text-field
        ref="field"
        v-model="line"
        label="Say how it stands, or how large"
        hint="x 90, or 80 % because …, or z 45 mm because …"
        persistent-hint
        :disabled="!may || !job.may.change"
        :error-messages="wrong"
        density="compact"
        autocomplete="off"
        @update:model-value="wrong = ''"
      />
      <v-btn type="submit" size="small" :disabled="!open || !line.trim()">Do it</v-btn>
    </form>
    <div class="acts">
      <v-btn size="small" :disabled="!open" :aria-pressed="picking && !pulling" @click="pick(false)"
        >{{ picking && !pulling ? 'Click the face …' : 'Rest on a face' }} <kbd class="on">D</kbd></v-btn
      >
      <v-btn size="small" :disabled="!open" :aria-pressed="pulling" @click="pick(true)">{{
        pulling ? 'Click where it is pulled …' : 'It is pulled …'
      }}</v-btn>
      <v-btn v-if="piece.load" size="small" variant="text" :disabled="!open" @click="pull(null)">No pull</v-btn>
      <v-btn size="small" :disabled="!open || !piece.undo" @click="back('undo')">Undo</v-btn>
      <v-btn size="small" :disabled="!open || !piece.redo" @click="back('redo')">Redo</v-btn>
      <v-btn v-if="now.fixed" size="small" variant="text" :disabled="!open" @click="set(null)">As it prints best</v-btn>
    </div>
    <div class="dials small" role="group" aria-label="Turn it by hand">
      <v-slider
        v-for="axis in axes"
        :key="axis"
        v-model="by[axis]"
        :label="`about ${axis}`"
        :aria-label="`Turn it about ${axis}, degrees`"
        :min="-180"
        :max="180"
        :step="5"
        :disabled="!open"
        density="compact"
        hide-details
        thumb-size="14"
        track-size="2"
        track-fill-color="transparent"
        @update:model-value="drag(axis)"
        @end="letGo(axis)"
        @keydown.enter.stop="letGo(axis)"
      >
        <template #append
          ><span class="num degrees">{{ by[axis] }}°</span></template
        >
      </v-slider>
    </div>
    <label v-if="nozzles.length || piece.nozzle" class="nozzle"
      >Laid by
      <select
        :value="piece.nozzle"
        :disabled="!open"
        aria-label="Nozzle"
        @change="lay(Number(($event.target as HTMLSelectElement).value))"
      >
        <option :value="0">the recipe’s nozzle</option>
        <option v-for="n in Math.max(nozzles.length, piece.nozzle)" :key="n" :value="n">
          nozzle {{ n }}<template v-if="nozzles[n - 1]">: {{ nozzles[n - 1] }}</template>
        </option>
      </select></label
    >
    <details class="small">
      <summary>What the line understands</summary>
      <dl>
        <template v-for="[words, does] in grammar" :key="words">
          <dt class="num">{{ words }}</dt>
          <dd>{{ does }}</dd>
        </template>
      </dl>
    </details>
  </section>
</template>

<style scoped>
.stand {
  display: grid;
  gap: 8px;
}
.ways {
  list-style: none;
  padding: 0;
  display: grid;
  gap: 3px;
}
.ways button {
  width: 100%;
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 0 8px;
  text-align: left;
  padding: 4px 8px;
  border: 1px solid var(--rule);
  border-radius: 3px;
  background: var(--card);
  color: inherit;
}
.ways .now button {
  border: 2px solid var(--accent);
  opacity: 1;
}
.facts {
  grid-column: 2;
  display: flex;
  flex-wrap: wrap;
  gap: 0 12px;
}
.over {
  color: var(--attention-words);
}
.line {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 8px;
  align-items: start;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.dials {
  display: grid;
  gap: 2px;
}
.degrees {
  width: 5ch;
  text-align: right;
}
.nozzle {
  display: flex;
  gap: 8px;
  align-items: center;
}
select {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 2px 6px;
  background: var(--card);
  color: var(--ink);
}
.on {
  background: transparent;
  color: inherit;
  border-color: currentcolor;
  margin-left: 6px;
}
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 1px 12px;
  margin-top: 4px;
}
dd {
  margin: 0;
}
</style>
