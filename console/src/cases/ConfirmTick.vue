<script setup lang="ts">
defineProps<{ done: boolean }>()
</script>

<template>
  <svg viewBox="0 0 12 12" width="12" height="12" aria-hidden="true">
    <path v-if="done" d="M1.5 6.5l3 3 6-7" fill="none" stroke="currentColor" stroke-width="1.8" />
    <path v-else d="M2 6h8" stroke="currentColor" stroke-width="1.6" />
  </svg>
</template>

<style scoped>
svg {
  flex: none;
}
</style>
