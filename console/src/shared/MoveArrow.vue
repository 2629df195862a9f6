<script setup lang="ts">
import { label } from './words'

defineProps<{ move?: 'ours' | 'theirs'; whom?: string }>()
</script>

<template>
  <span v-if="move" class="sub nowrap" :title="whom"
    ><span aria-hidden="true">{{ move === 'ours' ? '←' : '→' }}</span> {{ whom ?? label('Side', move) }}</span
  >
</template>
