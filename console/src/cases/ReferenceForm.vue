<script setup lang="ts">
import { NButton } from 'naive-ui'
import { nextTick, reactive, ref } from 'vue'
import { client, ok, type Case, type Schemas } from '../shared/api'
import { choicesOf } from '../shared/words'
import { useActs } from './acts'

// Adds, corrects or removes a number that somebody gave the case.
const props = defineProps<{ view: Case }>()
const open = ref(false)
const { busy, problem, begin, act, header } = useActs(() => props.view.line.number)
const form = reactive({ value: '', of: '', whose: 'vendor', role: 'current', keep: false, remove: false })

async function show() {
  Object.assign(form, { value: '', of: '', whose: 'vendor', role: 'current', keep: false, remove: false })
  begin()
  open.value = true
  await nextTick()
  document.getElementById('reference-value')?.focus()
}
async function keep() {
  const done = await act(() =>
    ok(
      client.POST('/cases/{case}/references', {
        params: { path: { case: props.view.line.number }, header: header() },
        body: { ...form, of: form.of || undefined } as Schemas['ReferenceChange'],
      }),
    ),
  )
  if (done) open.value = false
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
