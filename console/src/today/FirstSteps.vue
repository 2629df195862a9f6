<script setup lang="ts">
import CopyButton from '../shared/CopyButton.vue'

const command = 'roundhouse rehearse'
</script>

<template>
  <p class="first" data-testid="newcomer">
    New here? Practise on a made-up case first, in your terminal: <code>{{ command }}</code>
    <CopyButton :value="command" what="command" />
  </p>
</template>

<style scoped>
.first {
  margin: 0 0 12px;
  padding: 8px 12px;
  border: 1px dashed var(--line);
  border-radius: 4px;
}
</style>
