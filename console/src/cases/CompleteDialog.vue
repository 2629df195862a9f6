<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NButton, NInput } from 'naive-ui'
import { computed, reactive } from 'vue'
import { client, whole, type Case, type Texts } from '../shared/api'
import { attrs } from '../shared/attrs'
import { refresh } from '../shared/queries'
import { useSending } from '../shared/sending'
import DialogFrame from '../shared/DialogFrame.vue'
import VendorQuestion from './VendorQuestion.vue'

// Completes what a filed case says: the vendor is told of it with the next message that carries it.
const props = defineProps<{ view: Case; etag: string }>()
const emit = defineEmits<{ leave: [] }>()
const queries = useQueryClient()
const { busy, problem, send } = useSending()
const parts = computed(() =>
  (props.view.parts ?? []).filter((p) => p.points > 0 || props.view.texts[p.key as keyof Texts]),
)
const asked = computed(() => props.view.asked ?? [])
const kept = (key: string) => (props.view.texts[key as keyof Texts] as string | undefined) ?? ''
const texts = reactive(Object.fromEntries(parts.value.map((p) => [p.key, kept(p.key)])))
const answers = reactive(Object.fromEntries(asked.value.map((q) => [q.key, q.given ? q.answer : ''])))
const lines = ['since', 'often', 'version', 'system', 'browser', 'role']

async function save() {
  const changed = (now: Record<string, string>, was: (key: string) => string) =>
    Object.fromEntries(Object.entries(now).filter(([k, v]) => v.trim() !== was(k).trim()))
  const body = {
    texts: changed(texts, kept),
    answers: changed(answers, (k) => {
      const q = asked.value.find((x) => x.key === k)
      return q?.given ? q.answer : ''
    }),
  }
  const done = await send(() =>
    whole(
      client.PATCH('/cases/{case}', {
        params: { path: { case: props.view.line.number }, header: { 'If-Match': props.etag } },
        body,
        headers: { 'Content-Type': 'application/merge-patch+json' },
      }),
    ),
  )
  if (!done) return
  refresh(queries, props.view.line.number)
  emit('leave')
}
</script>

<template>
  <DialogFrame name="complete-dialog" title="Complete the description" size="broad" @leave="emit('leave')">
    <p class="sub">Saving sends nothing: what you change is marked until a message tells the vendor.</p>
    <form @submit.prevent="save">
      <div class="fields">
        <div v-for="q in asked" :key="q.key" class="field">
          <label :for="`c-${q.key}`">{{ q.label }}</label>
          <VendorQuestion :id="`c-${q.key}`" v-model="answers[q.key]" :question="q" />
        </div>
        <div v-for="p in parts" :key="p.key" class="field">
          <label :for="`c-${p.key}`">{{ p.label }}</label>
          <NInput
            v-model:value="texts[p.key]"
            :type="lines.includes(p.key) ? 'text' : 'textarea'"
            :autosize="lines.includes(p.key) ? undefined : { minRows: 1, maxRows: 8 }"
            placeholder=""
            :input-props="attrs({ id: `c-${p.key}`, 'data-testid': `complete-${p.key}` })"
          />
        </div>
      </div>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <div class="row acts">
        <NButton type="primary" attr-type="submit" :loading="busy" data-testid="keep-complete">Save</NButton
        ><NButton @click="emit('leave')">Cancel</NButton>
      </div>
    </form>
  </DialogFrame>
</template>

<style scoped>
.fields {
  max-height: 60vh;
  overflow-y: auto;
  margin: 8px 0;
}
.acts {
  margin-top: 10px;
}
</style>
