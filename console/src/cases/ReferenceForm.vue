<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { nextTick, reactive, ref } from 'vue'
import { client, newKey, ok, type Case, type Schemas } from '../shared/api'
import { refresh } from '../shared/queries'
import { choicesOf } from '../shared/words'
import { useSending } from '../shared/sending'

// Adds, corrects or removes a number that somebody gave the case.
const props = defineProps<{ view: Case }>()
const queries = useQueryClient()
const open = ref(false)
const { busy, problem, send } = useSending()
let key = newKey()
const form = reactive({ value: '', of: '', whose: 'vendor', role: 'current', keep: false, remove: false })

async function show() {
  Object.assign(form, { value: '', of: '', whose: 'vendor', role: 'current', keep: false, remove: false })
  problem.value = ''
  key = newKey()
  open.value = true
  await nextTick()
  document.getElementById('reference-value')?.focus()
}
async function keep() {
  const done = await send(() =>
    ok(
      client.POST('/cases/{case}/references', {
        params: { path: { case: props.view.line.number }, header: { 'Idempotency-Key': key } },
        body: { ...form, of: form.of || undefined } as Schemas['ReferenceChange'],
      }),
    ),
  )
  if (done) open.value = false
  else key = newKey()
  refresh(queries, props.view.line.number)
}
</script>

<template>
  <button v-if="!open" class="linkish small" type="button" data-testid="change-references" @click="show">
    Change references
  </button>
  <form v-else class="numbers" data-testid="reference-form" @submit.prevent="keep">
    <label for="reference-whose" class="hide">Whose number</label
    ><select id="reference-whose" v-model="form.whose" class="in" data-testid="reference-whose">
      <option v-for="o in choicesOf('ReferenceOwner')" :key="o.value" :value="o.value">{{ o.label }}</option>
    </select>
    <label for="reference-role" class="hide">Role</label
    ><select id="reference-role" v-model="form.role" class="in" data-testid="reference-role">
      <option v-for="o in choicesOf('ReferenceRole')" :key="o.value" :value="o.value">{{ o.label }}</option>
    </select>
    <input
      id="reference-value"
      v-model="form.value"
      class="in mono"
      aria-label="Number"
      placeholder="Number"
      maxlength="120"
      required
      data-testid="reference-value"
    />
    <input
      v-if="form.whose === 'reseller' || form.whose === 'other-vendor'"
      v-model="form.of"
      class="in"
      aria-label="Name"
      placeholder="Whose, by name"
      maxlength="120"
      data-testid="reference-of"
    />
    <label v-if="form.role === 'current' && ['vendor', 'ours'].includes(form.whose)" class="row"
      ><input v-model="form.keep" type="checkbox" data-testid="reference-keep" /> Keep the old one as former</label
    >
    <label class="row"
      ><input v-model="form.remove" type="checkbox" data-testid="reference-remove" /> Remove this number</label
    >
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <div class="row">
      <NButton size="small" type="primary" attr-type="submit" :loading="busy" data-testid="keep-reference">Save</NButton
      ><NButton size="small" @click="open = false">Cancel</NButton>
    </div>
  </form>
</template>

<style scoped>
.numbers {
  display: flex;
  flex-direction: column;
  gap: 6px;
}
.row {
  gap: 6px;
}
</style>
