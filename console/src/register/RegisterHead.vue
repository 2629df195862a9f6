<script setup lang="ts">
import RegisterTabs from './RegisterTabs.vue'

// The head of a page of the register: its tabs, and the page's own buttons.
defineProps<{ at: string }>()
</script>

<template>
  <div class="row head">
    <h1>Register</h1>
    <RegisterTabs :at="at" /><slot />
  </div>
</template>

<style scoped>
.head {
  margin-bottom: 8px;
  flex-wrap: wrap;
}
</style>
