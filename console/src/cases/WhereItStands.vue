<script setup lang="ts">
import { NButton } from 'naive-ui'
import { nextTick, ref } from 'vue'
import { client, ok, type Case } from '../shared/api'
import TimeText from '../shared/TimeText.vue'
import { useActs } from './acts'

// Where a case stands in a few lines, written by people, with who wrote them and when.
const props = defineProps<{ view: Case; may: boolean }>()
const { busy, problem, begin, act, header } = useActs(() => props.view.line.number)
const writing = ref(false)
const text = ref('')

async function edit() {
  text.value = props.view.line.summary ?? ''
  begin()
  writing.value = true
  await nextTick()
  document.getElementById('where-it-stands')?.focus()
}
async function save() {
  const done = await act(() =>
    ok(
      client.PUT('/cases/{case}/summary', {
        params: { path: { case: props.view.line.number }, header: header() },
        body: { text: text.value.trim() },
      }),
    ),
  )
  if (done) writing.value = false
}
</script>

<template>
  <form v-if="writing" class="stands" data-testid="summary-form" @submit.prevent="save">
    <label for="where-it-stands" class="sub small">Where it stands</label>
    <textarea id="where-it-stands" v-model="text" class="in" rows="3" maxlength="2000" data-testid="summary-text" />
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <div class="row">
      <NButton size="small" type="primary" attr-type="submit" :loading="busy" data-testid="save-summary">Save</NButton
      ><NButton size="small" @click="writing = false">Cancel</NButton>
    </div>
  </form>
  <div v-else-if="view.line.summary" class="stands" data-testid="summary">
    <p class="text">{{ view.line.summary }}</p>
    <p class="sub small">
      Where it stands, {{ view.summary_by }}, <TimeText :at="view.summary_at" />{{ ' ' }}
      <button v-if="may" class="linkish" type="button" data-testid="edit-summary" @click="edit">Edit</button>
    </p>
  </div>
  <p v-else-if="may" class="small">
    <button class="linkish" type="button" data-testid="edit-summary" @click="edit">Say where it stands</button>
  </p>
</template>

<style scoped>
.stands {
  border-left: 3px solid var(--line);
  padding: 4px 12px;
  margin-top: 8px;
  max-width: 812px;
}
.text {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
.stands .in {
  width: 100%;
}
.stands .row {
  margin-top: 6px;
}
</style>
