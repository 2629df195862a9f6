<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, nextTick, onMounted, reactive, watch } from 'vue'
import { useRouter } from 'vue-router'
import { client, newKey, ok, type Schemas } from '../shared/api'
import { fromInput } from '../shared/time'
import { choicesOf } from '../shared/words'
import { useSending } from '../shared/sending'
import { useVendors } from '../vendors/queries'
import { usePeople } from '../people/queries'

// A case that the vendor has already: from before this desk, or opened for us by somebody else.
const emit = defineEmits<{ leave: [] }>()
const router = useRouter()
const vendors = useVendors()
const people = usePeople()
const form = reactive({
  vendor: '',
  title: '',
  reference: '',
  filed: '',
  never: false,
  last: '',
  level: '',
  owner: '',
  origin: 'us',
  by: '',
  kind: 'fault',
  story: '',
})
const levels = computed(() => vendors.data.value?.items.find((v) => v.key === form.vendor)?.levels ?? [])
watch(
  () => form.vendor,
  () => (form.level = ''),
)
const { busy, problem, send } = useSending()
const key = newKey()
onMounted(async () => {
  await nextTick()
  document.getElementById('existing-vendor')?.focus()
})
const add = () =>
  send(async () => {
    const v = await ok(
      client.POST('/existing-cases', {
        params: { header: { 'Idempotency-Key': key } },
        body: {
          vendor: form.vendor,
          title: form.title,
          reference: form.reference,
          kind: form.kind as Schemas['CaseKind'],
          filed_at: fromInput(form.filed),
          last_reply: form.never ? undefined : fromInput(form.last),
          level: form.level,
          owner: form.owner,
          origin: form.origin as Schemas['Origin'],
          opened_by: form.by,
          story: form.story,
        },
      }),
    )
    await router.push(`/cases/${v.line.number}`)
  })
</script>

<template>
  <form class="panel filled" aria-label="Add an existing case" data-testid="existing-form" @submit.prevent="add">
    <p class="sub">For a case that the vendor has already. Nothing is sent to the vendor.</p>
    <div class="grid">
      <label for="existing-vendor">Vendor</label
      ><select id="existing-vendor" v-model="form.vendor" class="in" required data-testid="existing-vendor">
        <option v-for="v in vendors.data.value?.items" :key="v.key" :value="v.key">{{ v.name }}</option>
      </select>
      <label for="existing-title">Title</label
      ><input
        id="existing-title"
        v-model="form.title"
        class="in"
        maxlength="300"
        required
        data-testid="existing-title"
      />
      <label for="existing-reference">Vendor reference</label
      ><input
        id="existing-reference"
        v-model="form.reference"
        class="in mono"
        maxlength="120"
        placeholder="Empty if there is none yet"
        data-testid="existing-reference"
      />
      <label for="existing-kind">Kind</label
      ><select id="existing-kind" v-model="form.kind" class="in">
        <option v-for="k in choicesOf('CaseKind')" :key="k.value" :value="k.value">{{ k.label }}</option>
      </select>
      <label for="existing-level">Vendor level</label
      ><select id="existing-level" v-model="form.level" class="in" required data-testid="existing-level">
        <option v-for="l in levels" :key="l.rank" :value="l.label">{{ l.label }}</option>
      </select>
      <label for="existing-filed">Filed at</label
      ><input
        id="existing-filed"
        v-model="form.filed"
        class="in"
        type="datetime-local"
        required
        data-testid="existing-filed"
      />
      <label for="existing-last">Last vendor reply</label>
      <div class="row">
        <input
          id="existing-last"
          v-model="form.last"
          class="in"
          type="datetime-local"
          :required="!form.never"
          :disabled="form.never"
          data-testid="existing-last"
        />
        <label class="row"
          ><input v-model="form.never" type="checkbox" data-testid="existing-never" /> No reply yet</label
        >
      </div>
      <label for="existing-owner">Owner</label
      ><select id="existing-owner" v-model="form.owner" class="in">
        <option value="">You</option>
        <option v-for="p in people.data.value?.items.filter((x) => x.active)" :key="p.email" :value="p.email">
          {{ p.name }}
        </option>
      </select>
      <label for="existing-origin">Opened by</label>
      <div class="row">
        <select id="existing-origin" v-model="form.origin" class="in" data-testid="existing-origin">
          <option v-for="o in choicesOf('Origin')" :key="o.value" :value="o.value">{{ o.label }}</option>
        </select>
        <input
          v-if="form.origin !== 'us'"
          v-model="form.by"
          class="in"
          maxlength="120"
          aria-label="Name of who opened it"
          placeholder="Name"
          data-testid="existing-by"
        />
      </div>
      <label for="existing-story">What happened so far</label
      ><textarea id="existing-story" v-model="form.story" class="in" rows="4" data-testid="existing-story" />
    </div>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <div class="row">
      <NButton type="primary" attr-type="submit" :loading="busy" data-testid="keep-existing">Add case</NButton
      ><NButton @click="emit('leave')">Cancel</NButton>
    </div>
  </form>
</template>

<style scoped>
.filled {
  --labels: 160px;
}
.row {
  gap: 10px;
  flex-wrap: wrap;
}
.row .in {
  flex: 1 1 180px;
}
</style>
