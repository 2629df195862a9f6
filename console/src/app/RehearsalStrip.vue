<script setup lang="ts">
import { clock, longDay, useClock } from '../shared/time'

defineProps<{ title: string; speed: number }>()
const now = useClock()
</script>

<template>
  <p class="rehearsal" role="note" data-testid="rehearsal">
    <strong>Rehearsal: {{ title }}</strong>
    <span>Made-up cases</span>
    <span class="num">{{ longDay(now) }}, {{ clock(now) }}</span>
    <span v-if="speed > 1">The clock runs {{ speed }} times faster than real time</span>
  </p>
</template>

<style scoped>
.rehearsal {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
  margin: 0;
  padding: 6px 20px;
  background: var(--panel);
  border-bottom: 2px dashed var(--brass);
}
</style>
