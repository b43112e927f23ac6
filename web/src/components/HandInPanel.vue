<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, Refusal, take, upload, type Actor, type Purpose, type Use } from '../api/client'
import { usePeople, useStorage } from '../api/queries'
import { useFormats } from '../composables/format'
import { say } from '../composables/notices'
import { usePanel } from '../composables/panels'
import DateField from './DateField.vue'
import SidePanel from './SidePanel.vue'
import UseField from './UseField.vue'
import { useWords } from './repair'

const props = defineProps<{ who: Actor; dropped: File[] }>()
const open = defineModel<boolean>({ required: true })
const router = useRouter()
const f = useFormats()
usePanel(open)
const { units } = useWords()
const queries = useQueryClient()
const desk = computed(() => props.who.role !== 'member')
const people = usePeople(() => desk.value && open.value)
const storage = useStorage(() => open.value)
/** Told before it is full: the own room from half of it on, the house's near its end. */
const room = computed(() => {
  const s = storage.data.value
  if (!s) return ''
  if (s.limit_bytes && s.used_bytes > 0.5 * s.limit_bytes)
    return `Your files take ${megabytes(s.used_bytes)} of the ${megabytes(s.limit_bytes)} that each member has.`
  if (s.house_limit_bytes && (s.house_used_bytes ?? 0) > 0.8 * s.house_limit_bytes)
    return `The house’s storage is filling up: ${megabytes(s.house_used_bytes ?? 0)} of ${megabytes(s.house_limit_bytes)} are used.`
  return ''
})

interface Chosen {
  file: File
  copies: number
  unit: string
  share: number
}
const files = ref<Chosen[]>([])
const title = ref('')
const member = ref<number>(props.who.id)
const purpose = ref<Purpose>('everyday')
const neededBy = ref('')
const wish = ref('')
const use = ref<Use>({})
const problem = ref('')
const fields = ref<Record<string, string>>({})
const abort = ref<AbortController>()

const purposes: { value: Purpose; text: string }[] = [
  { value: 'quick look', text: 'Quick look: to see the shape, fast and light' },
  { value: 'everyday', text: 'Everyday: for use without much load' },
  { value: 'working part', text: 'Working part: must be strong' },
]

function add(list: Iterable<File> | null | undefined) {
  for (const file of list ?? []) files.value.push({ file, copies: 1, unit: '', share: 0 })
}
watch(() => props.dropped, add)

function choose(e: Event) {
  const input = e.target as HTMLInputElement
  add(input.files)
  input.value = ''
}

const megabytes = (n: number) => (n < 1e5 ? `${Math.ceil(n / 1e3)} kB` : `${(n / 1e6).toFixed(1)} MB`)

async function handIn() {
  problem.value = ''
  fields.value = {}
  abort.value = new AbortController()
  try {
    const pieces = []
    for (const c of files.value) {
      const id = await upload(c.file, (s) => (c.share = s), abort.value.signal)
      c.share = 1
      pieces.push({ upload_id: id, copies: c.copies, ...(c.unit ? { unit: c.unit as 'mm' } : {}) })
    }
    const made = await take(
      api.POST('/jobs', {
        body: {
          title: title.value,
          member_id: member.value,
          purpose: purpose.value,
          needed_by: neededBy.value,
          wish: wish.value,
          use: use.value,
          pieces,
        },
      }),
    )
    say(`Job ${made.id} is handed in and being checked.`)
    files.value = []
    title.value = wish.value = neededBy.value = ''
    use.value = {}
    open.value = false
    await queries.invalidateQueries({ queryKey: ['shelf'] })
    await router.push(desk.value ? `/counter/${made.id}` : `/job/${made.id}`)
  } catch (e) {
    problem.value = (e as Error).message
    if (e instanceof Refusal) fields.value = e.fields
    files.value.forEach((c) => (c.share = 0))
  } finally {
    abort.value = undefined
  }
}
</script>

<template>
  <SidePanel v-model="open" width="440" label="Hand in">
    <form class="pad" @submit.prevent="handIn">
      <h1>Hand in</h1>
      <label class="pick">
        <input
          id="file-input"
          type="file"
          multiple
          accept=".stl,.obj,.3mf,.amf,.gcode,.gco,.g,model/stl,model/obj,model/3mf"
          @change="choose"
        />
        <span>Choose model files, or drop them here</span>
        <span class="quiet small">STL, OBJ, 3MF, AMF or G-code, up to 300 MB each</span>
      </label>
      <div v-for="(c, i) in files" :key="i" class="file">
        <span class="name">{{ c.file.name }}</span><span class="num small quiet">{{ megabytes(c.file.size) }}</span>
        <label class="small copies"
          >copies
          <input
            v-model.number="c.copies"
            type="number"
            min="1"
            max="999"
            class="num"
            :aria-label="`Copies of ${c.file.name}`"
        /></label>
        <label class="small copies"
          >in
          <select v-model="c.unit" :aria-label="`Unit of ${c.file.name}`">
            <option value="">not sure</option>
            <option v-for="u in units" :key="u.key" :value="u.key">{{ u.key }}, {{ u.name }}</option>
          </select>
        </label>
        <button type="button" :aria-label="`Leave out ${c.file.name}`" @click="files.splice(i, 1)">×</button>
        <v-progress-linear v-if="abort" class="bar" :model-value="c.share * 100" color="primary" />
        <span v-if="abort" class="num small">{{ Math.round(c.share * 100) }} %</span>
      </div>
      <v-autocomplete
        v-if="desk"
        v-model="member"
        label="For"
        :items="people.data.value ?? [who]"
        item-title="name"
        item-value="id"
        :error-messages="fields.member_id"
      />
      <fieldset>
        <legend class="small quiet">Purpose</legend>
        <label v-for="p in purposes" :key="p.value" class="purpose"
          ><input v-model="purpose" type="radio" name="purpose" :value="p.value" /> {{ p.text }}</label
        >
      </fieldset>
      <v-text-field v-model="title" label="Title (else the file's name)" maxlength="120" />
      <DateField
        v-model="neededBy"
        label="Needed by"
        :hint="neededBy && f.day(neededBy)"
        persistent-hint
        :error-messages="fields.needed_by"
      />
      <UseField v-model="use" />
      <v-textarea v-model="wish" label="Wish: what else matters" rows="2" maxlength="1000" />
      <p v-if="room" class="small quiet room">▲ {{ room }}</p>
      <p v-if="problem" role="alert" class="problem">■ {{ problem }}</p>
      <div class="row">
        <v-btn
          id="hand-in-send"
          type="submit"
          color="primary"
          variant="flat"
          :disabled="!files.length || !!abort"
          :loading="!!abort"
          >Hand in</v-btn
        >
        <v-btn v-if="abort" @click="abort?.abort()">Cancel</v-btn>
        <v-btn v-else variant="text" @click="open = false">Close</v-btn>
      </div>
    </form>
  </SidePanel>
</template>

<style scoped>
.pad {
  display: grid;
  gap: 12px;
}
.pick {
  display: grid;
  justify-items: center;
  gap: 2px;
  padding: 20px;
  border: 2px dashed var(--rule);
  border-radius: 4px;
  cursor: pointer;
  position: relative;
}
.pick:focus-within {
  border-color: var(--accent);
}
.pick input {
  position: absolute;
  opacity: 0;
  inset: 0;
  cursor: pointer;
}
.file {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: center;
  border-bottom: 1px solid var(--rule);
  padding-bottom: 6px;
}
.name {
  overflow-wrap: anywhere;
  flex: 1 1 100%;
  font-weight: 600;
}
.copies input {
  width: 56px;
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 1px 4px;
  text-align: right;
}
.copies select {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 1px 4px;
  max-width: 120px;
  background: var(--card);
  color: var(--ink);
}
.file button {
  font-size: 1.2rem;
  line-height: 1;
  padding: 0 4px;
  margin-left: auto;
}
.bar {
  flex: 1 1 60%;
}
fieldset {
  border: none;
  display: grid;
  gap: 3px;
}
.purpose {
  display: flex;
  gap: 8px;
}
.problem {
  color: var(--stop);
  font-weight: 600;
}
.row {
  display: flex;
  gap: 10px;
}
</style>
