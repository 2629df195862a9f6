<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, nextTick, reactive, ref } from 'vue'
import { client, ok, Problem, whole, words as say, type Schemas } from '../shared/api'
import { choicesOf, label } from '../shared/words'
import { useMe } from '../shared/queries'
import { useVendors } from '../vendors/queries'
import { full } from '../shared/time'
import RegisterHead from '../register/RegisterHead.vue'
import SecretReveal from './SecretReveal.vue'

type Secret = Schemas['Secret']
const me = useMe()
const queries = useQueryClient()
const vendors = useVendors()
const { data, error } = useQuery({ queryKey: ['secrets'], queryFn: () => ok(client.GET('/secrets')) })
const vault = useQuery({ queryKey: ['secrets', 'vault'], queryFn: () => ok(client.GET('/vault')) })
const may = computed(() => me.data.value?.may.includes('secrets') ?? false)
const at = ref<string>() // whose sheet is open; '' for a new one
const one = useQuery({
  queryKey: computed(() => ['secrets', 'one', at.value]),
  enabled: computed(() => !!at.value),
  queryFn: () => whole(client.GET('/secrets/{secret}', { params: { path: { secret: at.value! } } })),
})
const form = reactive({
  name: '',
  vendor: '',
  label: '',
  kind: 'passphrase',
  hosts: '',
  readers: '',
  holder: '',
  place: '',
  note: '',
  value: '',
})
const etag = ref('')
const before = ref<Secret>()
const errors = ref<Record<string, string>>({})
const problem = ref('')
const busy = ref(false)
const editing = ref(false)

function fill(s?: Secret) {
  const f = s?.facts
  Object.assign(form, {
    name: f?.name ?? '',
    vendor: f?.vendor ?? '',
    label: f?.label ?? '',
    kind: f?.kind ?? 'passphrase',
    hosts: (f?.hosts ?? []).join(' '),
    readers: (f?.readers ?? []).join(' '),
    holder: f?.holder ?? '',
    place: f?.place ?? '',
    note: f?.note ?? '',
    value: '',
  })
  errors.value = {}
  problem.value = ''
}
async function add() {
  at.value = ''
  before.value = undefined
  fill()
  editing.value = true
  await nextTick()
  document.getElementById('secret-name')?.focus()
}
function open(name: string) {
  at.value = at.value === name ? undefined : name
  editing.value = false
}
async function change() {
  const read = await whole(client.GET('/secrets/{secret}', { params: { path: { secret: at.value! } } }))
  before.value = read.data
  etag.value = read.etag
  fill(read.data)
  editing.value = true
}
async function keep() {
  busy.value = true
  problem.value = ''
  errors.value = {}
  const list = (s: string) => s.split(/[\s,]+/).filter(Boolean)
  const facts = {
    name: form.name,
    label: form.label,
    kind: form.kind,
    vendor: form.vendor,
    hosts: list(form.hosts),
    readers: list(form.readers),
    holder: form.holder,
    place: form.place,
    note: form.note,
  }
  const said = Object.fromEntries(Object.entries(facts).filter(([, v]) => v.length)) as Schemas['SecretFacts']
  try {
    if (!before.value) await ok(client.POST('/secrets', { body: { facts: said, value: form.value || undefined } }))
    else {
      const gone = Object.fromEntries(
        Object.keys(facts)
          .filter((k) => !(k in said))
          .map((k) => [k, null]),
      )
      await ok(
        client.PATCH('/secrets/{secret}', {
          params: { path: { secret: before.value.facts.name }, header: { 'If-Match': etag.value } },
          body: { ...said, ...gone, ...(form.value ? { value: form.value } : {}) },
          headers: { 'Content-Type': 'application/merge-patch+json' },
        }),
      )
    }
    form.value = ''
    editing.value = false
    at.value = before.value ? before.value.facts.name : form.name
    await queries.invalidateQueries({ queryKey: ['secrets'] })
  } catch (e) {
    if (e instanceof Problem && e.doc.errors?.length)
      errors.value = Object.fromEntries(
        e.doc.errors.map((x) => [x.field.replace(/^facts\./, '').replace(/\[.*/, ''), x.detail]),
      )
    else problem.value = say(e)
  } finally {
    busy.value = false
  }
}
const turned = ref('')
async function rotate() {
  busy.value = true
  try {
    const r = await ok(client.POST('/vault/rotation', { body: {} }))
    const secrets = r.secrets === 1 ? '1 secret was' : `${r.secrets} secrets were`
    turned.value = `The key is now ${r.to} instead of ${r.from}; ${secrets} encrypted again. Keep a copy of the file.`
    await queries.invalidateQueries({ queryKey: ['secrets'] })
  } catch (e) {
    turned.value = say(e)
  } finally {
    busy.value = false
  }
}
const kept = (s: Secret) => (s.in_vault ? 'In the vault' : s.facts.place || 'With its holder')
const whose = (s: Secret) =>
  vendors.data.value?.items.find((v) => v.key === s.facts.vendor)?.name ?? (s.facts.vendor ? s.facts.vendor : 'Our own')
const fields = [
  { key: 'label', label: 'What the vendor calls it', hint: '' },
  {
    key: 'hosts',
    label: 'May be sent to',
    hint: 'Hosts, such as desk.corvane.example:8443; empty if it is only read out',
  },
  { key: 'readers', label: 'May be revealed by', hint: 'Email addresses; empty for everybody who may reveal secrets' },
  { key: 'holder', label: 'Holder', hint: '' },
  { key: 'place', label: 'Paper copy', hint: '' },
  { key: 'note', label: 'Note', hint: '' },
] as const
function leave() {
  editing.value = false
  if (!before.value) at.value = undefined
}
</script>

<template>
  <RegisterHead at="secrets">
    <NButton class="right" v-if="may && at === undefined" data-testid="add-secret" @click="add">Add a secret</NButton>
  </RegisterHead>
  <p v-if="error" class="problem" role="alert">{{ say(error) }}</p>
  <div v-if="vault.data.value" class="row vault">
    <p v-if="vault.data.value.unlocked" class="sub">
      The vault is unlocked. Key <span class="mono">{{ vault.data.value.key }}</span>, in use since
      {{ full(vault.data.value.since) }}.
    </p>
    <p v-else class="problem">
      The vault is locked: the service has no key. Secrets cannot be revealed or sent until it is started with the key
      file.
    </p>
    <NButton v-if="may && vault.data.value.unlocked" size="small" :loading="busy" data-testid="rotate" @click="rotate"
      >Rotate key</NButton
    >
    <p v-if="turned" role="status" data-testid="turned">{{ turned }}</p>
  </div>
  <form
    v-if="editing"
    class="panel sheet"
    :aria-label="before ? before.facts.name : 'New secret'"
    data-testid="secret-form"
    autocomplete="off"
    @submit.prevent="keep"
  >
    <div class="grid">
      <label for="secret-name">Name</label>
      <div>
        <input
          id="secret-name"
          v-model="form.name"
          class="in mono"
          maxlength="60"
          :disabled="!!before"
          required
          data-testid="secret-name"
        />
        <p v-if="errors.name" class="wrong">{{ errors.name }}</p>
      </div>
      <label for="secret-vendor">Vendor</label>
      <div>
        <select id="secret-vendor" v-model="form.vendor" class="in" data-testid="secret-vendor">
          <option value="">Our own</option>
          <option v-for="v in vendors.data.value?.items" :key="v.key" :value="v.key">{{ v.name }}</option>
        </select>
        <p v-if="errors.vendor" class="wrong">{{ errors.vendor }}</p>
      </div>
      <label for="secret-kind">Kind</label>
      <div>
        <select id="secret-kind" v-model="form.kind" class="in" data-testid="secret-kind">
          <option v-for="k in choicesOf('SecretFacts.kind')" :key="k.value" :value="k.value">{{ k.label }}</option>
        </select>
      </div>
      <template v-for="f in fields" :key="f.key"
        ><label :for="'secret-' + f.key">{{ f.label }}</label>
        <div>
          <input
            :id="'secret-' + f.key"
            v-model="form[f.key]"
            class="in"
            :placeholder="f.hint"
            :data-testid="'secret-' + f.key"
          />
          <p v-if="errors[f.key]" class="wrong" :data-testid="'wrong-' + f.key">{{ errors[f.key] }}</p>
        </div></template
      >
      <label for="secret-value">{{ before?.in_vault ? 'New value' : 'Value' }}</label>
      <div>
        <input
          id="secret-value"
          v-model="form.value"
          class="in"
          type="password"
          autocomplete="new-password"
          :placeholder="
            before?.in_vault ? 'Leave empty to keep the value' : 'Leave empty if only a person or a paper copy has it'
          "
          data-testid="secret-value-in"
        />
        <p v-if="errors.value" class="wrong" data-testid="wrong-value">{{ errors.value }}</p>
      </div>
    </div>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <div class="row">
      <NButton type="primary" attr-type="submit" :loading="busy" data-testid="keep-secret">{{
        before ? 'Save' : 'Add'
      }}</NButton><NButton @click="leave">Cancel</NButton>
    </div>
  </form>
  <div class="panel scroll">
    <p v-if="data && !data.items.length" class="roomy">
      There are no secrets yet. Add passphrases, keys and passwords here, and write <code>{secret NAME}</code> in texts
      to the vendor.
    </p>
    <table v-else-if="data" class="list" aria-label="Secrets">
      <thead>
        <tr class="small">
          <th scope="col">Name</th>
          <th scope="col" class="wide">Vendor</th>
          <th scope="col" class="wide">Kept</th>
          <th scope="col" class="wide">May be sent to</th>
          <th scope="col">Value</th>
        </tr>
      </thead>
      <tbody>
        <template v-for="s in data.items" :key="s.facts.name">
          <tr data-testid="secret">
            <td class="cut">
              <button
                type="button"
                class="linkish mono"
                :aria-expanded="at === s.facts.name"
                :data-testid="'secret-' + s.facts.name"
                @click="open(s.facts.name)"
              >
                {{ s.facts.name }}</button><br /><span class="sub">{{ s.facts.label }}</span>
            </td>
            <td class="cut wide">{{ whose(s) }}</td>
            <td class="cut wide">
              {{ kept(s) }}<span v-if="s.facts.holder" class="sub"><br />{{ s.facts.holder }}</span>
            </td>
            <td class="wide hosts">
              <div v-for="h in s.facts.hosts" :key="h">{{ h }}</div>
              <template v-if="!s.facts.hosts?.length">Nowhere; it is only read out</template>
            </td>
            <td>
              <SecretReveal v-if="s.in_vault" :name="s.facts.name" :why-not="s.why_not" /><span v-else class="sub"
                >Not stored here</span
              >
            </td>
          </tr>
          <tr v-if="at === s.facts.name && !editing" class="more">
            <td colspan="5">
              <p v-if="s.facts.note">{{ s.facts.note }}</p>
              <p class="sub">
                In texts: <code>{secret {{ s.facts.name }}}</code>
              </p>
              <ul v-if="one.data.value?.data.uses?.length" data-testid="secret-uses">
                <li v-for="(u, i) in one.data.value.data.uses" :key="i">
                  <span class="tn">{{ full(u.at) }}</span> {{ label('SecretUse.act', u.act) }}
                  {{ u.person ? 'by ' + u.person : 'by the service'
                  }}<template v-if="u.case">
                    for <RouterLink :to="`/cases/${u.case}`">{{ u.case }}</RouterLink></template
                  ><template v-if="u.host"> to {{ u.host }}</template
                  ><template v-if="u.why">: {{ u.why }}</template>
                </li>
              </ul>
              <NButton v-if="may" size="small" data-testid="change-secret" @click="change">Change</NButton>
            </td>
          </tr>
        </template>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.vault {
  gap: 12px;
  margin-bottom: 10px;
  flex-wrap: wrap;
}
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
  grid-template-columns: 170px minmax(0, 1fr);
  gap: 8px 12px;
  align-items: baseline;
}
.more td {
  background: var(--paper);
  padding: 10px 14px;
  white-space: normal;
}
.list td {
  height: auto;
  padding-top: 7px;
  padding-bottom: 7px;
  vertical-align: top;
}
ul {
  margin: 6px 0 10px;
  padding-left: 18px;
}
.wrong {
  color: var(--late);
}
.hosts {
  overflow-wrap: anywhere;
}
.list .linkish {
  text-align: left;
  overflow-wrap: anywhere;
}
@media (max-width: 640px) {
  .list {
    table-layout: auto;
  }
  .wide {
    display: none;
  }
  .grid {
    grid-template-columns: 1fr;
    gap: 3px;
  }
  td.cut {
    white-space: normal;
  }
}
</style>
