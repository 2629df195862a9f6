<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { client, ok, words as say } from '../shared/api'
import { label } from '../shared/words'
import RegisterHead from '../register/RegisterHead.vue'
import TimeText from '../shared/TimeText.vue'

const all = ref(false)
const { data, error } = useQuery({
  queryKey: computed(() => ['cases', 'consents', all.value]),
  queryFn: () => ok(client.GET('/consents', { params: { query: { holds: !all.value || undefined } } })),
})
</script>

<template>
  <RegisterHead at="consents" />
  <p v-if="error" class="problem" role="alert">{{ say(error) }}</p>
  <p class="row sub">
    What vendors may do with our consent. It is recorded and withdrawn on the case.
    <label class="row"><input v-model="all" type="checkbox" data-testid="all-consents" /> Show ended ones too</label>
  </p>
  <div v-if="data" class="panel scroll">
    <p v-if="data.items.length === 0" class="sub roomy">There are no consents{{ all ? '' : ' now' }}.</p>
    <table v-else class="list folds" aria-label="Consents">
      <thead>
        <tr class="small">
          <th scope="col" class="what">Consent</th>
          <th scope="col">Case</th>
          <th scope="col" class="wide">Vendor</th>
          <th scope="col">Given by</th>
          <th scope="col">Until</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="x in data.items" :key="x.case + x.consent.number" data-testid="consent-row">
          <td class="words">
            <b>{{ label('ConsentKind', x.consent.kind) }}</b><span v-if="x.consent.for" class="sub"
              >, for {{ x.consent.for }}</span
            >
          </td>
          <td class="cut">
            <RouterLink :to="'/cases/' + x.case">{{ x.case }}</RouterLink> {{ x.title }}
          </td>
          <td class="cut wide">{{ x.vendor }}</td>
          <td>{{ x.consent.by }}</td>
          <td>
            <template v-if="x.consent.withdrawn">withdrawn</template
            ><TimeText v-else-if="x.consent.until" :at="x.consent.until" /><template v-else>no end</template>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.panel {
  margin-top: 12px;
}
th.what {
  width: 34%;
}
td.words {
  white-space: normal;
}
</style>
