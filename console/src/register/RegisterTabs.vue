<script setup lang="ts">
defineProps<{ at: string }>()
const tabs = [
  ['assets', 'Assets'],
  ['contracts', 'Contracts'],
  ['accounts', 'Accounts'],
  ['products', 'Products'],
  ['calendars', 'Calendars'],
  ['policy', 'Our policy'],
  ['people', 'Our people'],
  ['rota', 'Rota'],
  ['secrets', 'Secrets'],
  ['links', 'Links'],
  ['outages', 'Outages'],
  ['consents', 'Consents'],
  ['ready', 'What is not ready'],
] as const
</script>

<template>
  <nav class="tabs" aria-label="Register pages">
    <RouterLink
      v-for="[k, label] in tabs"
      :key="k"
      :to="`/register/${k}`"
      :class="{ on: k === at }"
      :aria-current="k === at ? 'page' : undefined"
      :data-testid="'tab-' + k"
      >{{ label }}</RouterLink
    >
  </nav>
</template>

<style scoped>
.tabs {
  display: flex;
  gap: 2px;
  flex-wrap: wrap;
}
.tabs a {
  padding: 6px 10px;
  color: var(--ink2);
  text-decoration: none;
}
.tabs a.on {
  color: var(--ink);
  font-weight: 600;
  box-shadow: inset 0 -2px 0 var(--brass);
}
</style>
