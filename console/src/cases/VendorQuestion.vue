<script setup lang="ts">
import { type Schemas } from '../shared/api'
import AmountLines from './AmountLines.vue'

// One field of the vendor's form, as its type asks for it. What the register knows shows as a placeholder.
defineProps<{ id: string; question: Schemas['Question'] }>()
const answer = defineModel<string>()
</script>

<template>
  <select v-if="question.type === 'choice'" :id="id" v-model="answer" class="in" :data-testid="id">
    <option value="">No answer</option>
    <option v-for="c in question.choices" :key="c">{{ c }}</option>
  </select>
  <AmountLines v-else-if="question.type === 'amounts'" :id="id" v-model="answer" :places="question.choices" />
  <textarea v-else-if="question.type === 'long'" :id="id" v-model="answer" class="in" rows="2" :data-testid="id" />
  <template v-else>
    <input
      :id="id"
      v-model="answer"
      class="in"
      :list="question.choices?.length ? `${id}-choices` : undefined"
      :type="question.type === 'date' ? 'date' : 'text'"
      :placeholder="question.given ? '' : question.answer"
      :data-testid="id"
    />
    <datalist v-if="question.choices?.length" :id="`${id}-choices`">
      <option v-for="c in question.choices" :key="c" :value="c" />
    </datalist>
  </template>
</template>
