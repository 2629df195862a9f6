<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { client, ok } from '../shared/api'

// What this vendor may be told: a text names it, and it is put in when the text leaves.
const props = defineProps<{ vendor: string; byLink: boolean }>()
const emit = defineEmits<{ put: [placeholder: string] }>()
const { data } = useQuery({
  queryKey: computed(() => ['secrets', 'of', props.vendor]),
  queryFn: () => ok(client.GET('/secrets', { params: { query: { vendor: props.vendor } } })),
})
const fit = computed(
  () => data.value?.items.filter((s) => !props.byLink || (s.in_vault && s.facts.hosts?.length)) ?? [],
)
</script>

<template>
  <p v-if="fit.length" class="row small names" data-testid="secret-names">
    <span class="sub">Insert a secret:</span>
    <button
      v-for="s in fit"
      :key="s.facts.name"
      type="button"
      class="linkish"
      :data-testid="'put-' + s.facts.name"
      @click="emit('put', `{secret ${s.facts.name}}`)"
    >
      {{ s.facts.label }}
    </button>
    <span class="sub">{{
      byLink
        ? 'the value is filled in when it is sent; the record keeps only the name'
        : 'whoever sends it can reveal the value'
    }}</span>
  </p>
</template>

<style scoped>
.names {
  flex-wrap: wrap;
  gap: 4px 10px;
}
</style>
