<script setup lang="ts">
import { computed } from 'vue'
import { useMoment } from './moment'
import { full, short, useClock } from './time'
defineProps<{ at?: string; zone?: string }>()
const ticking = useClock()
const { moment } = useMoment()
// On a page as it stood, the day that is not named is the day of the page.
const now = computed(() => (moment.value.at ? new Date(moment.value.at) : ticking.value))
</script>

<template>
  <time v-if="at" :datetime="at" :title="full(at, zone)" class="tn nowrap">{{ short(at, now, zone) }}</time>
</template>
