<script setup lang="ts">
import { computed } from 'vue'
import { useAccounts } from '../api/queries'
import { useFormats } from '../composables/format'

/** What somebody owes. It is by itself, so that what is typed beside it stays when accounts come. */
const props = defineProps<{ member: number }>()
const f = useFormats()
const accounts = useAccounts()
const cents = computed(() => accounts.data.value?.find((a) => a.member_id === props.member)?.cents)
</script>

<template>
  <span>{{ cents === undefined ? '–' : f.money(cents) }}</span>
</template>
