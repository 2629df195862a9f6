<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'
import { client, newKey, ok } from '../shared/api'
import { refresh } from '../shared/queries'
import { useSending } from '../shared/sending'
import TimeText from '../shared/TimeText.vue'
import { useCurrentOutages } from '../outages/queries'
import { useDraftHere } from './draft'

// The known outages of the vendor, while one writes: often that ends the matter.
const d = useDraftHere()
const queries = useQueryClient()
const outages = useCurrentOutages(computed(() => d.form.vendor ?? ''))
const tied = computed(() => d.draft?.outage?.id ?? 0)
const { problem, send } = useSending()
async function tie(outage: number) {
  const number = d.draft?.line.number
  if (!number) return
  const done = await send(() =>
    ok(
      client.PUT('/cases/{case}/outage', {
        params: { path: { case: number }, header: { 'Idempotency-Key': newKey() } },
        body: { outage },
      }),
    ),
  )
  if (done) refresh(queries, number)
}
</script>

<template>
  <section v-if="outages.data.value?.length" class="panel known" aria-label="Known outages" data-testid="known-outages">
    <p v-for="o in outages.data.value" :key="o.id">
      <b>Known outage: {{ o.title }}</b
      >, since <TimeText :at="o.since" />.
      <template v-if="o.effect"> {{ o.effect }}.</template>
      <template v-if="o.said"> The vendor says: “{{ o.said }}”</template>{{ ' ' }}
      <a v-if="o.page" :href="o.page" target="_blank" rel="noreferrer">The vendor's page</a
      ><template v-if="o.page"> · </template>
      <button
        v-if="d.draft"
        class="linkish"
        type="button"
        :data-testid="'tie-' + o.id"
        @click="tie(tied === o.id ? 0 : o.id)"
      >
        {{ tied === o.id ? 'Untie this case from it' : 'Tie this case to it' }}
      </button>
    </p>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
  </section>
</template>

<style scoped>
.known {
  padding: 10px 16px;
  margin-bottom: 12px;
  border-left: 3px solid var(--soon);
}
</style>
