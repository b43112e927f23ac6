<script setup lang="ts">
import { computed, ref } from 'vue'
import { useAccount, useCorrectAccount, usePay } from '../api/queries'
import { useFormats } from '../composables/format'
import { useUnsaved } from '../composables/unsaved'
import RoomState from './RoomState.vue'

/** What somebody owes, and why: lines are only added. */
const props = defineProps<{ member: number; steward: boolean }>()
const f = useFormats()
const query = useAccount(() => props.member)
const pay = usePay()
const correct = useCorrectAccount()
const sum = ref('')
const why = ref('')
const cents = computed(() => {
  const n = f.value.read(sum.value)
  return n === undefined ? undefined : Math.round(100 * n)
})
useUnsaved(
  () => 'what was written of the account',
  () => !!sum.value.trim(),
)
const done = () => {
  sum.value = ''
  why.value = ''
}
const paid = () => cents.value && pay.mutate({ member: props.member, cents: cents.value }, { onSuccess: done })
const corrected = () =>
  cents.value && correct.mutate({ member: props.member, cents: cents.value, why: why.value }, { onSuccess: done })
</script>

<template>
  <RoomState :data="query.data.value" :error="query.error.value" what="the account" @again="query.refetch()">
    <section v-if="query.data.value" class="account" aria-label="Account">
      <h2>
        {{ query.data.value.member }}
        <span class="num">{{ f.money(Math.abs(query.data.value.cents)) }}</span>
        <span class="quiet small owes">{{ query.data.value.cents < 0 ? 'is owed by the house' : 'owed' }}</span>
      </h2>
      <form class="new" @submit.prevent="why.trim() && steward ? corrected() : paid()">
        <v-text-field v-model="sum" label="Sum" density="compact" hide-details class="sum" />
        <v-btn size="small" class="paid" :disabled="!cents || cents < 0 || pay.isPending.value" @click="paid"
          >Paid</v-btn
        >
        <template v-if="steward">
          <v-text-field
            v-model="why"
            label="Or a correction: why (less: −)"
            density="compact"
            hide-details
            maxlength="400"
          />
          <v-btn
            size="small"
            class="corrected"
            :disabled="!cents || !why.trim() || correct.isPending.value"
            @click="corrected"
            >Correct</v-btn
          >
        </template>
      </form>
      <p v-if="!query.data.value.lines.length" class="quiet">Nothing was charged yet.</p>
      <table v-else class="ledger small">
        <tbody>
          <tr v-for="l in query.data.value.lines" :key="l.id">
            <td class="num">{{ f.moment(l.at) }}</td>
            <td>
              {{ l.kind }} <template v-if="l.title">· {{ l.title }}</template>
              <span class="quiet"> {{ l.why }} {{ l.by }}</span>
            </td>
            <td class="right num">{{ f.money(l.cents) }}</td>
          </tr>
        </tbody>
      </table>
    </section>
  </RoomState>
</template>

<style scoped>
.owes {
  margin-left: 0.4em;
}
.account {
  display: grid;
  gap: 10px;
  max-width: 720px;
  margin-top: 18px;
}
.new {
  display: flex;
  gap: 8px;
  align-items: center;
}
.sum {
  max-width: 120px;
}
</style>
