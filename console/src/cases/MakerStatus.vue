<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { nextTick, ref } from 'vue'
import { client, newKey, ok, type Case } from '../shared/api'
import { refresh } from '../shared/queries'
import { useSending } from '../shared/sending'

// Records the status word of the maker behind the reseller.
const props = defineProps<{ view: Case }>()
const queries = useQueryClient()
const { busy, problem, send } = useSending()
const open = ref(false)
const word = ref('')
let key = newKey()

async function show() {
  word.value = problem.value = ''
  key = newKey()
  open.value = true
  await nextTick()
  document.getElementById('maker-word')?.focus()
}
async function keep() {
  const done = await send(() =>
    ok(
      client.PUT('/cases/{case}/maker-status', {
        params: { path: { case: props.view.line.number }, header: { 'Idempotency-Key': key } },
        body: { status: word.value.trim() },
      }),
    ),
  )
  if (done) open.value = false
  else key = newKey()
  refresh(queries, props.view.line.number)
}
</script>

<template>
  <form v-if="open" class="row" @submit.prevent="keep">
    <input
      id="maker-word"
      v-model="word"
      class="in"
      aria-label="Status at the maker"
      placeholder="Status there"
      maxlength="120"
      data-testid="maker-word"
    /><NButton size="small" attr-type="submit" :loading="busy" :disabled="!word.trim()" data-testid="keep-maker"
      >Save</NButton
    >
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
  </form>
  <button v-else class="linkish small" type="button" data-testid="maker-status" @click="show">Record its status</button>
</template>

<style scoped>
.row {
  gap: 6px;
  flex-wrap: wrap;
}
.in {
  height: 28px;
  min-width: 0;
}
</style>
