<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, nextTick, reactive, ref } from 'vue'
import { client, newKey, ok, Problem, words as say, type Schemas } from '../shared/api'
import { label } from '../shared/words'
import { useMe } from '../shared/queries'
import RegisterHead from '../register/RegisterHead.vue'
import TableDesk from '../exchange/TableDesk.vue'
import { usePeople } from './queries'

type Person = Schemas['Person']
const me = useMe()
const queries = useQueryClient()
const { data, error } = usePeople()
const may = computed(() => me.data.value?.may.includes('people') ?? false)
const roles = {
  handler: 'works on cases',
  lead: 'works on cases and changes contracts',
  auditor: 'reads everything, changes nothing',
  administrator: 'manages vendors, people and our policy',
} as const
const fields = [
  { key: 'phone', label: 'Phone', hint: 'Where vendors can reach the person; filled into cases' },
  { key: 'zone', label: 'Time zone', hint: 'Like Europe/Oslo' },
  { key: 'hours', label: 'Hours', hint: 'In words' },
  { key: 'languages', label: 'Languages', hint: 'In words' },
] as const
const tables = ref(false)
const at = ref<number | 'new'>()
const form = reactive({
  name: '',
  email: '',
  role: 'handler' as Person['role'],
  password: '',
  phone: '',
  zone: '',
  hours: '',
  languages: '',
  active: true,
})
const problem = ref('')
const busy = ref(false)
const version = ref(0)
let key = newKey()
const holds = useQuery({
  queryKey: computed(() => ['holds', at.value]),
  enabled: computed(() => typeof at.value === 'number'),
  staleTime: 0,
  queryFn: () => ok(client.GET('/people/{person}/holds', { params: { path: { person: at.value as number } } })),
})

async function open(p?: Person) {
  at.value = p?.id ?? 'new'
  version.value = p?.version ?? 0
  key = newKey()
  problem.value = ''
  Object.assign(form, {
    name: p?.name ?? '',
    email: p?.email ?? '',
    role: p?.role ?? 'handler',
    password: '',
    phone: p?.phone ?? '',
    zone: p?.zone ?? '',
    hours: p?.hours ?? '',
    languages: p?.languages ?? '',
    active: p?.active ?? true,
  })
  await nextTick()
  document.getElementById('person-name')?.focus()
}
async function keep() {
  busy.value = true
  problem.value = ''
  const { phone, zone, hours, languages, name, role } = form
  try {
    let id = at.value
    let password = form.password || undefined
    if (id === 'new') {
      const made = await ok(
        client.POST('/people', {
          params: { header: { 'Idempotency-Key': key } },
          body: { name, role, email: form.email, password: form.password },
        }),
      )
      id = at.value = made.id // if what follows fails, the person is there already
      version.value = made.version
      password = undefined
    }
    await ok(
      client.PATCH('/people/{person}', {
        params: { path: { person: id as number }, header: { 'If-Match': `"v${version.value}"` } },
        body: { name, role, phone, zone, hours, languages, active: form.active, password },
        headers: { 'Content-Type': 'application/merge-patch+json' },
      }),
    )
    at.value = undefined
  } catch (e) {
    problem.value = say(e)
    if (e instanceof Problem && e.kind === 'stale') {
      version.value = (await ok(client.GET('/people'))).items.find((p) => p.id === at.value)?.version ?? version.value
      problem.value =
        'Somebody else has changed this person since you opened the form. ' +
        'Your changes are still here; saving again replaces what they saved.'
    }
  } finally {
    busy.value = false
    await queries.invalidateQueries({ queryKey: ['people'] })
  }
}
</script>

<template>
  <RegisterHead at="people">
    <NButton class="right" :aria-expanded="tables" data-testid="tables-open" @click="tables = !tables"
      >Import and export</NButton
    ><NButton v-if="may && !at" data-testid="add-person" @click="open()">Add a person</NButton>
  </RegisterHead>
  <p v-if="error" class="problem" role="alert">{{ say(error) }}</p>
  <TableDesk v-if="tables" kind="people" many="our people" :may-read="may" @leave="tables = false" />
  <form
    v-if="at"
    class="panel sheet"
    :aria-label="at === 'new' ? 'New person' : form.name"
    data-testid="person-form"
    @submit.prevent="keep"
  >
    <div class="grid">
      <label for="person-name">Name</label
      ><input id="person-name" v-model="form.name" class="in" maxlength="120" required data-testid="person-name" />
      <label for="person-email">Email address</label
      ><input
        id="person-email"
        v-model="form.email"
        class="in"
        type="email"
        maxlength="200"
        :disabled="at !== 'new'"
        required
        data-testid="person-email"
      />
      <label for="person-role">Role</label
      ><select id="person-role" v-model="form.role" class="in" data-testid="person-role">
        <option v-for="(what, r) in roles" :key="r" :value="r">{{ label('Role', r) }}: {{ what }}</option>
      </select>
      <template v-for="f in fields" :key="f.key"
        ><label :for="'person-' + f.key">{{ f.label }}</label
        ><input
          :id="'person-' + f.key"
          v-model="form[f.key]"
          class="in"
          :placeholder="f.hint"
          maxlength="200"
          :data-testid="'person-' + f.key"
      /></template>
      <label for="person-password">{{ at === 'new' ? 'First password' : 'New password' }}</label><input
        id="person-password"
        v-model="form.password"
        class="in"
        type="password"
        autocomplete="new-password"
        minlength="10"
        :required="at === 'new'"
        :placeholder="at === 'new' ? 'At least ten characters' : 'Leave empty to keep the password'"
        data-testid="person-password"
      />
    </div>
    <label v-if="at !== 'new'" class="row leaves"
      ><input v-model="form.active" type="checkbox" data-testid="person-active" /> May sign in. Without it all sessions
      and tokens of this person end.</label
    >
    <div v-if="at !== 'new' && holds.data.value" class="holds">
      <p v-if="holds.data.value.items.length">
        <b>To hand over when {{ form.name }} leaves:</b>
      </p>
      <p v-else class="sub">Nothing at any vendor depends on {{ form.name }}.</p>
      <ul v-if="holds.data.value.items.length" data-testid="holds">
        <li v-for="h in holds.data.value.items" :key="h.vendor + h.what">
          <RouterLink :to="'/vendors/' + h.vendor">{{ h.name }}</RouterLink>: {{ h.what }}
        </li>
      </ul>
    </div>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <div class="row">
      <NButton type="primary" attr-type="submit" :loading="busy" data-testid="keep-person">{{
        at === 'new' ? 'Add' : 'Save'
      }}</NButton><NButton @click="at = undefined">Cancel</NButton>
    </div>
  </form>
  <div class="panel scroll">
    <table v-if="data" class="list" aria-label="Our people">
      <thead>
        <tr class="small">
          <th scope="col" class="who">Name</th>
          <th scope="col">Role</th>
          <th scope="col" class="wide">Phone</th>
          <th scope="col" class="wide">Hours</th>
          <th scope="col" class="wide">Languages</th>
          <th v-if="may" scope="col" class="act"><span class="hide">Change</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="p in data.items" :key="p.id" :class="{ sub: !p.active }" data-testid="person">
          <td class="cut">
            <b>{{ p.name }}</b> <span class="sub">{{ p.email }}</span>
          </td>
          <td class="cut">{{ p.active ? label('Role', p.role) : 'Left' }}</td>
          <td class="cut wide tn">{{ p.phone }}</td>
          <td class="cut wide">
            {{ p.hours }} <span class="sub">{{ p.zone }}</span>
          </td>
          <td class="cut wide">{{ p.languages }}</td>
          <td v-if="may" class="act">
            <button
              class="linkish"
              type="button"
              :data-testid="'change-' + p.id"
              :aria-label="'Change ' + p.name"
              @click="open(p)"
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
.sheet {
  padding: 14px 16px;
  margin-bottom: 14px;
  max-width: 760px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.grid {
  display: grid;
  grid-template-columns: 130px minmax(0, 1fr);
  gap: 8px 12px;
  align-items: center;
}
.leaves {
  gap: 8px;
}
ul {
  margin: 4px 0 0;
  padding-left: 18px;
}
th.who {
  width: 36%;
}
th.act,
td.act {
  width: 80px;
  text-align: right;
}
@media (max-width: 640px) {
  .wide {
    display: none;
  }
  .grid {
    grid-template-columns: 1fr;
    gap: 3px;
  }
  .grid .in {
    margin-bottom: 6px;
  }
  th.who {
    width: 50%;
  }
  td.cut {
    white-space: normal;
  }
}
</style>
