<script setup lang="ts">
import { NButton } from 'naive-ui'
import { nextTick, onMounted, reactive } from 'vue'
import { client, newKey, ok, type Schemas } from '../shared/api'
import { forInput, fromInput, now } from '../shared/time'
import { useSending } from '../shared/sending'
import { useVendors } from '../vendors/queries'

const props = defineProps<{ outage?: Schemas['Outage'] }>()
const emit = defineEmits<{ kept: []; leave: [] }>()
const vendors = useVendors()
const o = props.outage
const form = reactive({
  vendor: o?.vendor ?? '',
  title: o?.title ?? '',
  effect: o?.effect ?? '',
  said: o?.said ?? '',
  page: o?.page ?? '',
  since: forInput(o?.since ?? now().toISOString()),
  updated: o?.updated_at ? forInput(o.updated_at) : '',
  ended: o?.ended_at ? forInput(o.ended_at) : '',
})
const { busy, problem, send } = useSending()
const key = newKey()
onMounted(async () => {
  await nextTick()
  document.getElementById(o ? 'outage-said' : 'outage-vendor')?.focus()
})
async function keep() {
  const { title, effect, said, page } = form
  const body = {
    title,
    effect,
    said,
    page,
    since: fromInput(form.since),
    updated_at: form.updated ? fromInput(form.updated) : undefined,
    ended_at: form.ended ? fromInput(form.ended) : undefined,
  }
  const done = await send(() =>
    o
      ? ok(
          client.PATCH('/outages/{outage}', {
            params: { path: { outage: o.id }, header: { 'If-Match': `"v${o.version}"` } },
            body,
            headers: { 'Content-Type': 'application/merge-patch+json' },
          }),
        )
      : ok(
          client.POST('/outages', {
            params: { header: { 'Idempotency-Key': key } },
            body: { ...body, vendor: form.vendor },
          }),
        ),
  )
  if (done) emit('kept')
}
</script>

<template>
  <form
    class="panel filled"
    :aria-label="o ? 'Change outage' : 'New outage'"
    data-testid="outage-form"
    @submit.prevent="keep"
  >
    <div class="grid">
      <label for="outage-vendor">Vendor</label
      ><select id="outage-vendor" v-model="form.vendor" class="in" required :disabled="!!o" data-testid="outage-vendor">
        <option v-for="v in vendors.data.value?.items" :key="v.key" :value="v.key">{{ v.name }}</option>
      </select>
      <label for="outage-title">What is down</label
      ><input id="outage-title" v-model="form.title" class="in" maxlength="300" required data-testid="outage-title" />
      <label for="outage-effect">Effect on our users</label
      ><input id="outage-effect" v-model="form.effect" class="in" maxlength="2000" data-testid="outage-effect" />
      <label for="outage-since">Since</label
      ><input id="outage-since" v-model="form.since" class="in" type="datetime-local" required />
      <label for="outage-said">What the vendor says</label
      ><textarea id="outage-said" v-model="form.said" class="in" rows="2" maxlength="4000" data-testid="outage-said" />
      <label for="outage-updated">Last vendor update</label
      ><input id="outage-updated" v-model="form.updated" class="in" type="datetime-local" />
      <label for="outage-page">The vendor's page</label
      ><input
        id="outage-page"
        v-model="form.page"
        class="in"
        maxlength="500"
        placeholder="https://status.vendor.example"
        data-testid="outage-page"
      />
      <label for="outage-ended">Ended</label
      ><input
        id="outage-ended"
        v-model="form.ended"
        class="in"
        type="datetime-local"
        title="Empty while it is ongoing"
        data-testid="outage-ended"
      />
    </div>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <div class="row">
      <NButton type="primary" attr-type="submit" :loading="busy" data-testid="keep-outage">{{
        o ? 'Save' : 'Add'
      }}</NButton><NButton @click="emit('leave')">Cancel</NButton>
    </div>
  </form>
</template>

<style scoped>
.filled {
  --labels: 160px;
}
</style>
