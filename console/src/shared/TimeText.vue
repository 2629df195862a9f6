<script setup lang="ts">
import { full, short, useClock } from './time'
defineProps<{ at?: string; zone?: string }>()
const now = useClock()
</script>

<template>
  <time v-if="at" :datetime="at" :title="full(at, zone)" class="tn nowrap">{{ short(at, now, zone) }}</time>
</template>
