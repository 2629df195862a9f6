<script setup lang="ts">
import type { Schemas } from '../shared/api'
import { label } from '../shared/words'

defineProps<{ cover: Schemas['Cover']; whole?: boolean }>()
const short = (c: Schemas['Cover']) =>
  ({
    covered: `until ${c.until}`,
    twice: label('Cover.state', c.state),
    'not-yet': `from ${c.until}`,
    ended: `ended ${c.until}`,
    'not-covered': label('Cover.state', c.state),
  })[c.state]
</script>

<template>
  <span :class="cover.state" :title="cover.words">{{ whole ? cover.words : short(cover) }}</span>
</template>

<style scoped>
.twice,
.ended,
.not-covered {
  font-weight: 650;
}
.ended,
.not-covered {
  color: var(--late);
}
.twice {
  color: var(--soon);
}
</style>
