<script setup lang="ts">
import { nextTick, ref } from 'vue'
import type { Setting, SliceView } from '../api/client'
import { useAgainSlice, useCancelSlice, useChooseSlice, useNameSlice, useRemoveSlice } from '../api/queries'
import { useFormats } from '../composables/format'
import { isPlain, lying, more, variantName } from './variants'

const props = defineProps<{
  variants: readonly SliceView[]
  running: readonly SliceView[]
  picked: SliceView | undefined
  settingOf: (key: string) => Setting | undefined
  may: boolean
}>()
const emit = defineEmits<{ pick: [id: number] }>()
const f = useFormats()
const cancel = useCancelSlice()
const again = useAgainSlice()
const choose = useChooseSlice()
const call = useNameSlice()
const remove = useRemoveSlice()
const named = (s: SliceView) => variantName(s, props.settingOf)
/** The variant by the recipe that others are held against. */
const plain = () => props.variants.findLast((s) => s.full && isPlain(s))
const busy = (s: SliceView) => s.state === 'queued' || s.state === 'running'

const naming = ref<number>()
const name = ref('')
const list = ref<HTMLElement>()
function begin(s: SliceView) {
  naming.value = s.id
  name.value = s.label
  void nextTick(() => list.value?.querySelector<HTMLInputElement>('.naming')?.focus())
}
function end() {
  if (naming.value) call.mutate({ id: naming.value, name: name.value })
  naming.value = undefined
}
</script>

<template>
  <ul v-if="variants.length" ref="list" class="variants">
    <li v-for="s in variants" :key="s.id" :class="{ on: s.id === picked?.id }">
      <form v-if="naming === s.id" @submit.prevent="end" @keydown.esc.stop="naming = undefined">
        <input
          v-model="name"
          class="naming small"
          maxlength="60"
          :aria-label="`Name of slice ${s.id}`"
          placeholder="a name, or none"
          @blur="end"
        />
      </form>
      <button v-else type="button" class="name" :disabled="s.state !== 'done'" @click="emit('pick', s.id)">
        {{ named(s) }}
      </button>
      <template v-if="s.full">
        <span v-if="lying(s)" class="small quiet">{{ lying(s) }}</span>
        <span class="num small">{{ f.duration(s.full.seconds) }}</span><span class="num small">{{
          f.grams(s.full.grams)
        }}</span
        ><span class="num small">{{ f.money(s.full.price_cents) }}</span>
        <span v-if="s.stale" class="stale small" :title="s.stale">▲ stale</span>
        <span v-if="s.chosen" class="counts small">◆ counts</span>
        <button v-else-if="may" type="button" class="link small" @click="choose.mutate(s)">use this one</button>
        <span v-if="plain()?.full && s !== plain()" class="change num small quiet"
          >{{ more.time(s.full.seconds - plain()!.full!.seconds, f) }},
          {{ more.grams(s.full.grams - plain()!.full!.grams, f) }},
          {{ more.money(s.full.price_cents - plain()!.full!.price_cents, f) }} against the recipe</span
        >
      </template>
      <span v-else-if="s.state === 'failed' || s.state === 'set aside'" class="bad small"
        >■ {{ s.state === 'set aside' ? 'Set aside. ' : '' }}{{ s.error }}
        <button v-if="may" type="button" class="link slice-again" @click="again.mutate(s.id)">Try once more</button>
      </span>
      <span v-else class="small quiet">{{
        s.state === 'running' ? `${Math.round(100 * s.fraction)} %` : s.waits || 'waiting'
      }}</span>
      <span v-if="may && s.id === picked?.id && naming !== s.id" class="small acts"
        ><button type="button" class="link" @click="begin(s)">name it</button
        ><button
          v-if="!s.chosen && !busy(s)"
          type="button"
          class="link slice-remove"
          :disabled="remove.isPending.value"
          @click="remove.mutate(s.id)"
        >
          remove it
        </button></span
      >
      <button
        v-else-if="may && (s.state === 'failed' || s.state === 'set aside')"
        type="button"
        class="link small slice-remove"
        @click="remove.mutate(s.id)"
      >
        remove it
      </button>
    </li>
  </ul>
  <p v-else class="small quiet">Not sliced yet on this machine: the figures are quick estimates.</p>
  <div v-for="s in running" :key="s.id" class="run small" role="status">
    <v-progress-linear :model-value="100 * s.fraction" color="primary" height="5" :aria-label="`Slice ${s.id}`" />
    <span class="num slice-percent">{{ Math.round(100 * s.fraction) }} %</span
    ><span>{{ s.waits || s.label || 'slicing' }}</span>
    <v-btn size="x-small" class="slice-cancel" @click="cancel.mutate(s.id)">Cancel</v-btn>
  </div>
</template>

<style scoped>
.variants {
  list-style: none;
  padding: 0;
}
li {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
  align-items: baseline;
  padding: 3px 8px;
  border-left: 4px solid transparent;
}
li.on {
  border-left-color: var(--accent);
  background: var(--card);
}
.name {
  font-weight: 600;
  text-align: left;
}
.naming {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 1px 6px;
  background: var(--card);
  color: var(--ink);
}
.change {
  flex-basis: 100%;
}
.acts {
  display: flex;
  gap: 10px;
  margin-left: auto;
}
.counts {
  color: var(--accent-words);
  font-weight: 600;
}
.link {
  text-decoration: underline;
  color: var(--accent-words) !important;
}
.bad {
  color: var(--stop);
}
.stale {
  color: var(--attention-words);
}
.run {
  display: grid;
  grid-template-columns: 1fr auto auto auto;
  gap: 8px;
  align-items: center;
}
</style>
