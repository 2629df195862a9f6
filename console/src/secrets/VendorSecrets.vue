<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { client, ok } from '../shared/api'
import SecretReveal from './SecretReveal.vue'

// The secrets that this vendor asks for.
const props = defineProps<{ vendor: string }>()
const { data } = useQuery({
  queryKey: computed(() => ['secrets', 'of', props.vendor]),
  queryFn: () => ok(client.GET('/secrets', { params: { query: { vendor: props.vendor } } })),
})
</script>

<template>
  <template v-if="data?.items.length">
    <h2 class="head">Secrets</h2>
    <div v-for="s in data.items" :key="s.facts.name" class="row line">
      <span
        ><b>{{ s.facts.label }}</b
        >{{ ' ' }} <RouterLink class="sub mono small" to="/register/secrets">{{ s.facts.name }}</RouterLink></span
      >
      <SecretReveal v-if="s.in_vault" :name="s.facts.name" :why-not="s.why_not" />
      <span v-else class="sub">{{
        [s.facts.holder && s.facts.holder + ' holds it', s.facts.place].filter(Boolean).join('. ')
      }}</span>
    </div>
  </template>
</template>

<style scoped>
.head {
  margin: 18px 0 6px;
}
.line {
  flex-wrap: wrap;
  gap: 4px 12px;
  padding: 3px 0;
}
</style>
