<script setup lang="ts">
import { label } from './words'

defineProps<{ move?: 'ours' | 'theirs' }>()
</script>

<template>
  <span v-if="move" class="sub nowrap"
    ><span aria-hidden="true">{{ move === 'ours' ? '←' : '→' }}</span> {{ label('Side', move) }}</span
  >
</template>
