<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { NInput, NSelect } from 'naive-ui'
import { computed, ref } from 'vue'
import { client, ok, type Schemas } from '../shared/api'
import { attrs } from '../shared/attrs'
import { short, useClock } from '../shared/time'
import { choicesOf } from '../shared/words'
import { useThings } from '../register/things'
import { useVendors } from '../vendors/queries'
import { useDraftHere } from './draft'

const d = useDraftHere()
const vendors = useVendors()
const now = useClock()

// The asset is found as one types; with it come vendor, contract, account and what is known.
const hits = ref<Schemas['Hit'][]>([])
const lookForAsset = useDebounceFn(async () => {
  const text = d.assetWords.trim()
  if (!text) {
    hits.value = []
    if (d.form.asset) Object.assign(d.form, { asset: null, contract: null })
    return
  }
  const query = { words: text, kind: 'asset' as const, limit: 8 }
  hits.value = (await ok(client.GET('/find', { params: { query } })).catch(() => ({ items: [] }))).items
  const exact = hits.value.filter((h) => h.exact)
  if (exact.length === 1 && exact[0]!.id !== d.form.asset) await d.choose(exact[0]!.id)
}, 200)

const contracts = useThings(
  ref('contracts' as const),
  computed(() => ({ vendor: d.form.vendor ?? '', cover: 'in-force', limit: 50 })),
  computed(() => !!d.form.vendor),
)
const contractOptions = computed(
  () =>
    contracts.data.value?.items.map((k) => ({
      label: `${k.facts.number}, until ${String(k.facts.ends)}`,
      value: k.id,
    })) ?? [],
)
const vendorOptions = computed(() => vendors.data.value?.items.map((v) => ({ label: v.name, value: v.key })) ?? [])
const vendor = computed(() => vendors.data.value?.items.find((v) => v.key === d.form.vendor))
const kindOptions = choicesOf('CaseKind')
</script>

<template>
  <section class="panel part" aria-labelledby="p1">
    <h2 id="p1"><span class="mono n">1</span> What and where</h2>
    <div class="field">
      <label for="title">Title</label>
      <NInput
        v-model:value="d.form.title"
        :maxlength="200"
        placeholder="One line that names the problem"
        :input-props="attrs({ id: 'title', 'data-testid': 'title' })"
      />
    </div>
    <div class="field">
      <label for="asset">Asset</label>
      <div>
        <input
          id="asset"
          v-model="d.assetWords"
          class="in"
          list="asset-list"
          autocomplete="off"
          data-testid="asset"
          placeholder="Serial, name or identifier; empty if there is none"
          @input="lookForAsset"
        />
        <datalist id="asset-list">
          <option v-for="x in hits" :key="x.id" :value="x.name">{{ x.title }}, {{ x.detail }}</option>
        </datalist>
      </div>
    </div>
    <div class="field">
      <span id="l-vendor" class="label">Vendor</span>
      <div>
        <NSelect
          v-model:value="d.form.vendor"
          filterable
          :disabled="!!d.draft"
          :options="vendorOptions"
          placeholder="Choose a vendor"
          :input-props="attrs({ 'aria-labelledby': 'l-vendor' })"
          data-testid="vendor"
          :menu-props="attrs({ 'data-testid': 'vendor-menu' })"
          :node-props="(o) => attrs({ 'data-testid': 'vendor-opt-' + o.value })"
        />
        <p v-if="vendor" class="sub small">
          Now {{ vendor.open ? 'open' : 'closed' }}
          <template v-if="vendor.until">until {{ short(vendor.until, now, vendor.zone) }} vendor time</template>
        </p>
      </div>
    </div>
    <div v-if="d.form.vendor" class="field">
      <span id="l-contract" class="label">Contract</span>
      <NSelect
        v-model:value="d.form.contract"
        clearable
        :options="contractOptions"
        placeholder="The one that covers the asset"
        :input-props="attrs({ 'aria-labelledby': 'l-contract' })"
        data-testid="contract"
      />
    </div>
    <div class="field">
      <label for="affected">Affected</label>
      <NInput
        v-model:value="d.form.texts.affected"
        placeholder="Service, machine or account, with its serial or number"
        :input-props="attrs({ id: 'affected', 'data-testid': 'affected' })"
      />
    </div>
    <div class="field">
      <span id="l-kind" class="label">Kind</span>
      <div class="row">
        <NSelect
          v-model:value="d.form.kind"
          class="kind"
          :options="kindOptions"
          :input-props="attrs({ 'aria-labelledby': 'l-kind' })"
        />
        <label for="ticket" class="sub">Our ticket</label>
        <NInput v-model:value="d.form.ticket" class="ticket" placeholder="" :input-props="attrs({ id: 'ticket' })" />
      </div>
    </div>
  </section>
</template>

<style scoped>
.kind {
  max-width: 180px;
}
.ticket {
  max-width: 160px;
}
</style>
