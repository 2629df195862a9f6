<script setup lang="ts">
defineProps<{ move?: 'ours' | 'theirs' }>()
</script>

<template>
  <span v-if="move" class="sub nowrap"
    ><span aria-hidden="true">{{ move === 'ours' ? '←' : '→' }}</span> {{ move }}</span
  >
</template>
