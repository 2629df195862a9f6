<script setup lang="ts">
import { NInput } from 'naive-ui'
import { attrs } from '../shared/attrs'
import { useDraftHere } from './draft'

const d = useDraftHere()
const stories = [
  { key: 'happened', label: 'What happened', rows: 3 },
  { key: 'expected', label: 'What was expected', rows: 1 },
  { key: 'steps', label: 'Steps to reproduce', rows: 2 },
  { key: 'since', label: 'Since when', rows: 1 },
  { key: 'tried', label: 'Already tried', rows: 1 },
  { key: 'contact', label: 'Contact', rows: 1 },
  { key: 'contact_always', label: 'Contact round the clock', rows: 1 },
] as const
</script>

<template>
  <section class="panel part" aria-labelledby="p3">
    <h2 id="p3"><span class="mono n">3</span> Description</h2>
    <div v-for="q in d.draft?.asked" :key="q.key" class="field">
      <label :for="`q-${q.key}`"
        >{{ q.label }}<span v-if="q.hint" class="sub small asks">{{ q.hint }}</span></label
      >
      <div>
        <select
          v-if="q.type === 'choice'"
          :id="`q-${q.key}`"
          v-model="d.form.answers[q.key]"
          class="in"
          :data-testid="`q-${q.key}`"
        >
          <option value="">No answer</option>
          <option v-for="c in q.choices" :key="c">{{ c }}</option>
        </select>
        <textarea
          v-else-if="q.type === 'long'"
          :id="`q-${q.key}`"
          v-model="d.form.answers[q.key]"
          class="in"
          rows="2"
          :data-testid="`q-${q.key}`"
        />
        <input
          v-else
          :id="`q-${q.key}`"
          v-model="d.form.answers[q.key]"
          class="in"
          :list="q.choices?.length ? `c-${q.key}` : undefined"
          :type="q.type === 'date' ? 'date' : 'text'"
          :placeholder="q.given ? '' : q.answer"
          :data-testid="`q-${q.key}`"
        />
        <datalist v-if="q.type !== 'choice' && q.choices?.length" :id="`c-${q.key}`">
          <option v-for="c in q.choices" :key="c" :value="c" />
        </datalist>
        <p v-if="q.answer && !q.given && !d.form.answers[q.key]" class="sub small">
          {{ q.answer }} (from the register)
        </p>
        <p v-if="q.problem" class="warn small">{{ q.problem }}</p>
      </div>
    </div>
    <div v-for="s in stories" :key="s.key" class="field">
      <label :for="`t-${s.key}`">{{ s.label }}</label>
      <NInput
        v-model:value="d.form.texts[s.key]"
        :type="s.rows > 1 ? 'textarea' : 'text'"
        :autosize="s.rows > 1 ? { minRows: s.rows, maxRows: 14 } : undefined"
        placeholder=""
        :input-props="attrs({ id: `t-${s.key}`, 'data-testid': s.key })"
      />
    </div>
  </section>
</template>

<style scoped>
.asks {
  display: block;
}
</style>
