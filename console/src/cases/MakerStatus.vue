<script setup lang="ts">
import { NButton } from 'naive-ui'
import { nextTick, ref } from 'vue'
import { client, ok, type Case } from '../shared/api'
import { useActs } from './acts'

// Records the status word of the maker behind the reseller.
const props = defineProps<{ view: Case }>()
const { busy, problem, begin, act, header } = useActs(() => props.view.line.number)
const open = ref(false)
const word = ref('')

async function show() {
  word.value = ''
  begin()
  open.value = true
  await nextTick()
  document.getElementById('maker-word')?.focus()
}
async function keep() {
  const done = await act(() =>
    ok(
      client.PUT('/cases/{case}/maker-status', {
        params: { path: { case: props.view.line.number }, header: header() },
        body: { status: word.value.trim() },
      }),
    ),
  )
  if (done) open.value = false
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
