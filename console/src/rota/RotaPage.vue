<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'
import { client, ok, words as say, type Schemas } from '../shared/api'
import { useMe } from '../shared/queries'
import { zoneHere } from '../shared/time'
import RegisterHead from '../register/RegisterHead.vue'
import TimeText from '../shared/TimeText.vue'
import ShiftForm from './ShiftForm.vue'

type Shift = Schemas['Shift']
const me = useMe()
const queries = useQueryClient()
const { data, error } = useQuery({
  queryKey: ['rota'],
  queryFn: () => ok(client.GET('/rota', { params: { query: { days: 56 } } })),
})
const may = computed(() => me.data.value?.may.includes('work') ?? false)
const on = computed(() => data.value?.shifts.find((s) => s.id === data.value?.now))
// A gap is read where it is, between the shifts.
const rows = computed(() =>
  [
    ...(data.value?.shifts ?? []).map((shift) => ({ from: shift.from, until: shift.until, shift })),
    ...(data.value?.gaps ?? []).map((g) => ({ ...g, shift: undefined })),
  ].sort((a, b) => a.from.localeCompare(b.from)),
)
const form = ref<{ shift?: Shift; from?: string; until?: string; plan?: boolean }>()
const key = computed(() => `${form.value?.shift?.id ?? ''} ${form.value?.from ?? ''} ${form.value?.plan ?? ''}`)

async function kept() {
  form.value = undefined
  await queries.invalidateQueries({ queryKey: ['rota'] })
  await queries.invalidateQueries({ queryKey: ['today'] })
}
</script>

<template>
  <RegisterHead at="rota">
    <template v-if="may && !form"
      ><NButton class="right" data-testid="plan-rota" @click="form = { plan: true }">Plan shifts</NButton
      ><NButton data-testid="add-shift" @click="form = {}">Add a shift</NButton></template
    >
  </RegisterHead>
  <p v-if="error" class="problem" role="alert">{{ say(error) }}</p>
  <template v-if="data">
    <p v-if="on" data-testid="on-now">
      <b>{{ on.person }}</b> can be reached now, at <span class="tn">{{ on.phone }}</span>.
    </p>
    <p v-else class="warn" data-testid="on-now">Nobody can be reached now.</p>
    <p class="sub">
      A case at a level that needs a contact round the clock names who is on the rota. Times in {{ zoneHere() }}.
      <template v-if="data.cases.length"
        >Needed by
        <template v-for="(c, i) in data.cases" :key="c"
          ><template v-if="i > 0">, </template
          ><RouterLink class="mono" :to="`/cases/${c}`">{{ c }}</RouterLink></template
        ><template v-if="data.needing > data.cases.length"> and {{ data.needing - data.cases.length }} more</template>.
      </template>
    </p>
    <ShiftForm v-if="form" :key="key" v-bind="form" :rota="data" @kept="kept" @leave="form = undefined" />
    <div class="panel scroll">
      <table class="list folds" aria-label="Rota">
        <thead>
          <tr class="small">
            <th scope="col">From</th>
            <th scope="col">Until</th>
            <th scope="col" class="who">Person</th>
            <th scope="col">Phone</th>
            <th scope="col" class="wide">Note</th>
            <th v-if="may" scope="col" class="act"><span class="hide">Change</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in rows" :key="r.from + r.shift?.id" :data-testid="r.shift ? 'shift' : 'gap'">
            <td><TimeText :at="r.from" /></td>
            <td><TimeText :at="r.until" /></td>
            <template v-if="r.shift">
              <td class="cut">
                <b>{{ r.shift.person }}</b> <span v-if="r.shift.left" class="warn">has left: choose somebody else</span>
              </td>
              <td class="cut tn">{{ r.shift.phone }}</td>
              <td class="cut wide">{{ r.shift.note }}</td>
              <td v-if="may" class="act">
                <button
                  class="linkish"
                  type="button"
                  :aria-label="`Change the shift of ${r.shift.person}`"
                  @click="form = { shift: r.shift }"
                >
                  Change
                </button>
              </td>
            </template>
            <template v-else>
              <td colspan="2"><b class="warn">Nobody</b></td>
              <td class="wide"></td>
              <td v-if="may" class="act">
                <button
                  class="linkish"
                  type="button"
                  aria-label="Fill this gap"
                  data-testid="fill-gap"
                  @click="form = { from: r.from, until: r.until }"
                >
                  Fill
                </button>
              </td>
            </template>
          </tr>
        </tbody>
      </table>
    </div>
  </template>
</template>

<style scoped>
.panel {
  margin-top: 12px;
}
th.who {
  width: 26%;
}
th.act,
td.act {
  width: 80px;
  text-align: right;
}
</style>
