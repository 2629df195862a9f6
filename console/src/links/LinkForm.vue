<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { nextTick, onMounted, reactive } from 'vue'
import { client, newKey, ok, type Schemas } from '../shared/api'
import { label } from '../shared/words'
import { useSending } from '../shared/sending'

const props = defineProps<{ link?: Schemas['DeskLink'] }>()
const emit = defineEmits<{ kept: []; leave: [] }>()
const vendors = useQuery({
  queryKey: ['vendors', 'brief'],
  queryFn: () => ok(client.GET('/vendors', { params: { query: { brief: true } } })),
})
// The settings of a mail server that are texts, in the order in which one has them at hand.
const texts = [
  { key: 'from', label: 'From address', hint: 'it-desk@company.example', required: true },
  { key: 'name', label: 'Our name', hint: 'Shown after the name of the person who writes' },
  { key: 'user', label: 'User', hint: 'To sign in; leave empty if the server asks for no sign-in' },
  { key: 'secret', label: 'Password', hint: 'Name of the secret with the password' },
] as const
const settings = { ...(props.link?.settings ?? {}) } as Record<string, unknown>
const form = reactive({
  name: props.link?.name ?? '',
  kind: props.link?.kind ?? ('email' as Schemas['Channel']),
  address: props.link?.address ?? '',
  texts: Object.fromEntries(texts.map((t) => [t.key, String(settings[t.key] ?? '')])) as Record<string, string>,
  auth: String(settings.auth ?? ''),
  clear: settings.clear === true,
  raw: props.link?.kind === 'api' ? JSON.stringify(settings, null, 2) : '',
  vendors: [...(props.link?.vendors ?? [])],
})
const { busy, problem, send } = useSending()
const key = newKey()
onMounted(async () => {
  await nextTick()
  document.getElementById(props.link ? 'link-address' : 'link-name')?.focus()
})

/** The settings as they are typed: what the form does not know stays as it was. */
function typed(): Record<string, unknown> {
  if (form.kind === 'api') {
    try {
      return JSON.parse(form.raw) as Record<string, unknown>
    } catch (e) {
      throw new Error(`The settings are not JSON: ${(e as Error).message}`)
    }
  }
  const now: Record<string, unknown> = { ...settings, auth: form.auth, clear: form.clear || undefined }
  for (const t of texts) now[t.key] = form.texts[t.key]?.trim()
  return Object.fromEntries(Object.entries(now).filter(([, v]) => v !== '' && v !== undefined))
}
async function act(what: () => Promise<unknown>) {
  if (await send(what)) emit('kept')
}
const keep = () =>
  act(async () => {
    const { name, kind, address } = form
    const body = { name, address, settings: typed(), vendors: form.vendors }
    if (!props.link)
      return ok(client.POST('/links', { params: { header: { 'Idempotency-Key': key } }, body: { ...body, kind } }))
    return ok(
      client.PATCH('/links/{link}', {
        params: { path: { link: props.link.id }, header: { 'If-Match': `"v${props.link.version}"` } },
        body,
        headers: { 'Content-Type': 'application/merge-patch+json' },
      }),
    )
  })
const remove = () =>
  act(() =>
    ok(
      client.DELETE('/links/{link}', {
        params: { path: { link: props.link!.id }, header: { 'If-Match': `"v${props.link!.version}"` } },
      }),
    ),
  )
</script>

<template>
  <form class="panel filled" :aria-label="link ? link.name : 'New link'" data-testid="link-form" @submit.prevent="keep">
    <div class="grid">
      <label for="link-name">Name</label
      ><input
        id="link-name"
        v-model="form.name"
        class="in"
        maxlength="80"
        placeholder="desk-email"
        required
        data-testid="link-name"
      />
      <label for="link-kind">Kind</label
      ><select id="link-kind" v-model="form.kind" class="in" :disabled="!!link" data-testid="link-kind">
        <option v-for="k in ['email', 'api'] as const" :key="k" :value="k">{{ label('Channel', k) }}</option>
      </select>
      <label for="link-address">Address</label
      ><input
        id="link-address"
        v-model="form.address"
        class="in mono"
        maxlength="500"
        :placeholder="form.kind === 'email' ? 'smtps://mail.company.example:465' : 'https://api.vendor.example'"
        required
        data-testid="link-address"
      />
      <template v-if="form.kind === 'email'">
        <template v-for="t in texts" :key="t.key"
          ><label :for="'link-' + t.key">{{ t.label }}</label
          ><input
            :id="'link-' + t.key"
            v-model="form.texts[t.key]"
            class="in"
            maxlength="200"
            :placeholder="t.hint"
            :required="'required' in t"
            :data-testid="'link-' + t.key"
        /></template>
        <label for="link-auth">Sign-in</label
        ><select id="link-auth" v-model="form.auth" class="in">
          <option value="">What the server offers</option>
          <option v-for="x in ['plain', 'login', 'cram-md5']" :key="x" :value="x">{{ x.toUpperCase() }}</option>
        </select>
        <span></span
        ><label class="row"
          ><input v-model="form.clear" type="checkbox" data-testid="link-clear" /> Without TLS, for a mail server on
          this machine only</label
        >
      </template>
      <template v-else>
        <label for="link-raw">Settings</label
        ><textarea
          id="link-raw"
          v-model="form.raw"
          class="in mono"
          rows="8"
          placeholder="JSON that describes how to call this API"
          required
          data-testid="link-raw"
        />
      </template>
      <span id="link-vendors">Vendors</span>
      <div role="group" aria-labelledby="link-vendors" class="vendors">
        <label v-for="v in vendors.data.value?.items" :key="v.key" class="row"
          ><input v-model="form.vendors" type="checkbox" :value="v.key" :data-testid="'serves-' + v.key" />
          {{ v.name }}</label
        >
      </div>
    </div>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <div class="row">
      <NButton type="primary" attr-type="submit" :loading="busy" data-testid="keep-link">{{
        link ? 'Save' : 'Add'
      }}</NButton><NButton @click="emit('leave')">Cancel</NButton
      ><NButton v-if="link" class="right" :loading="busy" data-testid="remove-link" @click="remove"
        >Remove link</NButton
      >
    </div>
  </form>
</template>

<style scoped>
.vendors {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
}
.vendors .row,
.grid label.row {
  gap: 6px;
}
</style>
