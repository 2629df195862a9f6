<script setup lang="ts">
import type { Standing } from './api'
import { label } from './words'
defineProps<{ standing?: Standing; text?: string }>()
</script>

<template>
  <span v-if="standing" class="st" :class="standing">
    <svg viewBox="0 0 12 12" width="12" height="12" aria-hidden="true">
      <rect v-if="standing === 'late'" x="1" y="1" width="10" height="10" rx="1" fill="currentColor" />
      <template v-else-if="standing === 'due-soon'">
        <circle cx="6" cy="6" r="4.6" fill="none" stroke="currentColor" stroke-width="1.6" />
        <path d="M6 1.4a4.6 4.6 0 0 1 0 9.2z" fill="currentColor" />
      </template>
      <circle
        v-else-if="standing === 'running'"
        cx="6"
        cy="6"
        r="4.6"
        fill="none"
        stroke="currentColor"
        stroke-width="1.6"
      />
      <path v-else-if="standing === 'paused'" d="M3.6 1.5v9M8.4 1.5v9" stroke="currentColor" stroke-width="2" />
      <path v-else-if="standing === 'met'" d="M1.5 6.5l3 3 6-7" fill="none" stroke="currentColor" stroke-width="1.8" />
      <template v-else-if="standing === 'met-late' || standing === 'missed'">
        <rect x=".8" y=".8" width="10.4" height="10.4" rx="1" fill="none" stroke="currentColor" stroke-width="1.4" />
        <path
          v-if="standing === 'met-late'"
          d="M3 6.2l2 2 4-4.6"
          fill="none"
          stroke="currentColor"
          stroke-width="1.5"
        />
        <path v-else d="M3.4 3.4l5.2 5.2M8.6 3.4l-5.2 5.2" stroke="currentColor" stroke-width="1.5" />
      </template>
      <path v-else d="M2 6h8" stroke="currentColor" stroke-width="1.8" />
    </svg>
    {{ text ?? label('Standing', standing) }}
  </span>
</template>

<style scoped>
.st {
  display: inline-flex;
  align-items: center;
  gap: 6px;
  font-weight: 600;
  white-space: nowrap;
}
.st svg {
  flex: none;
}
.late,
.met-late,
.missed {
  color: var(--late);
}
.due-soon {
  color: var(--soon);
}
.running {
  color: var(--run);
}
.paused {
  color: var(--pause);
}
.met,
.void,
.replaced {
  color: var(--ink2);
}
</style>
