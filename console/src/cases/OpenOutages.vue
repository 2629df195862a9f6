<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { client, newKey, ok, words as say } from '../shared/api'
import { refresh } from '../shared/queries'
import TimeText from '../shared/TimeText.vue'
import { useCurrentOutages } from '../outages/queries'
import { useDraftHere } from './draft'

// The known outages of the vendor, while one writes: often that ends the matter.
const d = useDraftHere()
const queries = useQueryClient()
const outages = useCurrentOutages(computed(() => d.form.vendor ?? ''))
const tied = computed(() => d.draft?.outage?.id ?? 0)
const problem = ref('')
async function tie(outage: number) {
  problem.value = ''
  if (!d.draft) return
  try {
    await ok(
      client.PUT('/cases/{case}/outage', {
        params: { path: { case: d.draft.line.number }, header: { 'Idempotency-Key': newKey() } },
        body: { outage },
      }),
    )
    refresh(queries, d.draft.line.number)
  } catch (e) {
    problem.value = say(e)
  }
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
