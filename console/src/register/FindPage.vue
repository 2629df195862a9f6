<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { client, ok, words as say } from '../shared/api'
import { label } from '../shared/words'
import { hitTarget } from './find'

const route = useRoute()
const words = computed(() => String(route.query.words ?? ''))
const { data, error } = useQuery({
  queryKey: ['find', words],
  queryFn: () => ok(client.GET('/find', { params: { query: { words: words.value, limit: 50 } } })),
  enabled: computed(() => words.value.trim() !== ''),
  placeholderData: keepPreviousData,
})
</script>

<template>
  <h1>Results for “{{ words }}”</h1>
  <p v-if="error" class="problem" role="alert">{{ say(error) }}</p>
  <p v-if="data?.items[0]?.near" class="sub" data-testid="nearly">Nothing matches exactly. These are close.</p>
  <p v-else-if="data && data.items.length && !data.items.some((h) => h.exact)" class="sub">
    There is no exact match. The closest come first.
  </p>
  <div v-if="data && data.items.length === 0" class="panel roomy above" data-testid="nothing">
    <p><b>Nothing matches that number or these words.</b></p>
    <p class="sub">
      Serials, contract and account numbers, references, names and words in titles are searched. Try fewer words, or the
      beginning of the number.
    </p>
  </div>
  <ul v-else class="panel">
    <li v-for="h in data?.items" :key="h.kind + h.id + h.field + h.shown" data-testid="hit">
      <span class="sub kind">{{ label('FindKind', h.kind) }}</span>
      <RouterLink data-walk :to="hitTarget(h)" class="mono">{{ h.name }}</RouterLink>
      <span class="cut grow"
        ><b>{{ h.title === h.name ? '' : h.title }}</b> <span class="sub">{{ h.detail }}</span></span
      >
      <span v-if="h.shown !== h.name && h.shown !== h.title" class="sub small cut"
        >{{ h.field.replace('_', ' ') }} {{ h.shown }}</span
      >
    </li>
  </ul>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 12px 0 0;
  padding: 0;
}
li {
  display: flex;
  gap: 12px;
  align-items: center;
  min-height: 37px;
  padding: 4px 14px;
  border-top: 1px solid var(--line2);
  flex-wrap: wrap;
}
li:first-child {
  border-top: 0;
}
.kind {
  width: 72px;
}
b {
  font-weight: 600;
}
</style>
