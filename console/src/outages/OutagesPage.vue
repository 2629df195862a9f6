<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'
import { client, ok, words as say, type Schemas } from '../shared/api'
import { useMe } from '../shared/queries'
import RegisterHead from '../register/RegisterHead.vue'
import TimeText from '../shared/TimeText.vue'
import OutageForm from './OutageForm.vue'

const me = useMe()
const queries = useQueryClient()
const { data, error } = useQuery({ queryKey: ['outages'], queryFn: () => ok(client.GET('/outages')) })
const may = computed(() => me.data.value?.may.includes('work') ?? false)
const form = ref<{ outage?: Schemas['Outage'] }>()
async function kept() {
  form.value = undefined
  await queries.invalidateQueries({ queryKey: ['outages'] })
}
</script>

<template>
  <RegisterHead at="outages">
    <NButton v-if="may && !form" class="right" data-testid="add-outage" @click="form = {}">Note an outage</NButton>
  </RegisterHead>
  <p v-if="error" class="problem" role="alert">{{ say(error) }}</p>
  <p class="sub">Anyone who opens a case sees the known outages of that vendor.</p>
  <OutageForm v-if="form" :key="form.outage?.id ?? 0" v-bind="form" @kept="kept" @leave="form = undefined" />
  <div v-if="data" class="panel scroll">
    <p v-if="data.items.length === 0" class="sub roomy">No outages have been noted.</p>
    <table v-else class="list folds" aria-label="Outages">
      <thead>
        <tr class="small">
          <th scope="col" class="what">Outage</th>
          <th scope="col">Vendor</th>
          <th scope="col">Since</th>
          <th scope="col">Ended</th>
          <th scope="col" class="wide cases">Cases</th>
          <th v-if="may" scope="col" class="act"><span class="hide">Change</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="o in data.items" :key="o.id" data-testid="outage">
          <td class="words">
            <b>{{ o.title }}</b>
            <span v-if="o.effect" class="sub"> · {{ o.effect }}</span>
            <span v-if="o.said" class="sub"> · “{{ o.said }}”</span>
            <a v-if="o.page" :href="o.page" target="_blank" rel="noreferrer" class="small"> The vendor's page</a>
          </td>
          <td class="cut">
            <RouterLink :to="'/vendors/' + o.vendor">{{ o.vendor_name }}</RouterLink>
          </td>
          <td><TimeText :at="o.since" /></td>
          <td><TimeText v-if="o.ended_at" :at="o.ended_at" /><b v-else class="warn">ongoing</b></td>
          <td class="wide tn">{{ o.cases }}</td>
          <td v-if="may" class="act">
            <button
              class="linkish"
              type="button"
              :aria-label="'Change ' + o.title"
              data-testid="change-outage"
              @click="form = { outage: o }"
            >
              Change
            </button>
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
  width: 42%;
}
th.cases {
  width: 64px;
}
th.act,
td.act {
  width: 80px;
  text-align: right;
}
td.words {
  white-space: normal;
}
</style>
