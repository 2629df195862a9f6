<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'
import { client, ok, words as say, type Schemas } from '../shared/api'
import { useMe } from '../shared/queries'
import { label } from '../shared/words'
import RegisterHead from '../register/RegisterHead.vue'
import TimeText from '../shared/TimeText.vue'
import LinkForm from './LinkForm.vue'

type Link = Schemas['DeskLink']
const me = useMe()
const queries = useQueryClient()
const { data, error } = useQuery({ queryKey: ['links'], queryFn: () => ok(client.GET('/links')) })
const may = computed(() => me.data.value?.may.includes('vendors') ?? false)
const form = ref<{ link?: Link }>()
const tried = ref<Record<number, string>>({})

async function attempt(l: Link) {
  tried.value[l.id] = 'Trying …'
  try {
    const t = await ok(client.POST('/links/{link}/try', { params: { path: { link: l.id } } }))
    tried.value[l.id] = t.works ? 'It works.' : `It does not work: ${t.problem}`
  } catch (e) {
    tried.value[l.id] = say(e)
  }
}
async function kept() {
  form.value = undefined
  await queries.invalidateQueries({ queryKey: ['links'] })
  await queries.invalidateQueries({ queryKey: ['vendors'] })
}
</script>

<template>
  <RegisterHead at="links">
    <NButton v-if="may && !form" class="right" data-testid="add-link" @click="form = {}">Add a link</NButton>
  </RegisterHead>
  <p v-if="error" class="problem" role="alert">{{ say(error) }}</p>
  <p class="sub">
    A link sends messages by itself: through a vendor's API, or as email from our own mail server to the vendor's email
    address.
  </p>
  <LinkForm v-if="form" :key="form.link?.id ?? 0" :link="form.link" @kept="kept" @leave="form = undefined" />
  <div v-if="data" class="panel scroll">
    <p v-if="data.items.length === 0" class="sub roomy">No links yet: a person sends everything.</p>
    <table v-else class="list" aria-label="Links">
      <thead>
        <tr class="small">
          <th scope="col" class="name">Link</th>
          <th scope="col" class="kind">Kind</th>
          <th scope="col" class="wide">Address</th>
          <th scope="col">Vendors</th>
          <th v-if="may" scope="col" class="act"><span class="hide">Change</span></th>
        </tr>
      </thead>
      <tbody>
        <template v-for="l in data.items" :key="l.id">
          <tr data-testid="link">
            <td class="cut">
              <b>{{ l.name }}</b>
            </td>
            <td class="cut">{{ label('Channel', l.kind) }}</td>
            <td class="cut wide mono" :title="l.address">{{ l.address }}</td>
            <td class="cut" :title="l.vendors.join(', ')">
              <template v-for="(v, i) in l.vendors" :key="v"
                ><template v-if="i > 0">, </template><RouterLink :to="'/vendors/' + v">{{ v }}</RouterLink></template
              ><span v-if="l.vendors.length === 0" class="sub">None</span>
            </td>
            <td v-if="may" class="act">
              <button
                v-if="l.kind === 'email'"
                class="linkish"
                type="button"
                :aria-label="'Try ' + l.name"
                :data-testid="'try-' + l.name"
                @click="attempt(l)"
              >
                Try
              </button>
              <button
                class="linkish"
                type="button"
                :aria-label="'Change ' + l.name"
                :data-testid="'change-' + l.name"
                @click="form = { link: l }"
              >
                Change
              </button>
            </td>
          </tr>
          <tr v-if="tried[l.id] || l.problem">
            <td :colspan="may ? 5 : 4" class="small more" role="status" :data-testid="'tried-' + l.name">
              <template v-if="tried[l.id]">{{ tried[l.id] }}</template>
              <span v-else class="warn">Failing since <TimeText :at="l.failing_since" />: {{ l.problem }}</span>
            </td>
          </tr>
        </template>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.panel {
  margin-top: 12px;
}
th.name {
  width: 20%;
}
th.kind {
  width: 80px;
}
th.act,
td.act {
  width: 130px;
  text-align: right;
}
td.act {
  white-space: nowrap;
}
td.act button {
  margin-left: 10px;
}
td.more {
  white-space: normal;
}
@media (max-width: 640px) {
  .wide {
    display: none;
  }
  td.cut {
    white-space: normal;
  }
  th.act,
  td.act {
    width: 90px;
    white-space: normal;
  }
}
</style>
