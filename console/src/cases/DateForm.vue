<script setup lang="ts">
import { NButton } from 'naive-ui'
import { onMounted, reactive, ref } from 'vue'
import { client, ok, type Case, type Schemas } from '../shared/api'
import { fromInput } from '../shared/time'
import { choicesOf } from '../shared/words'
import DateDetails from './DateDetails.vue'
import { useActs } from './acts'
import { detailsOf, type Details } from './dates'

const props = defineProps<{ view: Case }>()
const emit = defineEmits<{ done: [] }>()
const { busy, problem, act, header } = useActs(() => props.view.line.number)
const kinds = choicesOf('SetDateKind')
const form = reactive({ kind: 'promise', owed: '', text: '', due: '' })
const details = ref<Details>({})
onMounted(() => document.getElementById('date-kind')?.focus())
async function set() {
  const done = await act(() =>
    ok(
      client.POST('/cases/{case}/dates', {
        params: { path: { case: props.view.line.number }, header: header() },
        body: {
          kind: form.kind as Schemas['SetDateKind'],
          owed: (form.owed || undefined) as Schemas['Side'] | undefined,
          text: form.text.trim() || undefined,
          due: form.due ? fromInput(form.due) : undefined,
          details: detailsOf(form.kind, details.value),
        },
      }),
    ),
  )
  if (done) emit('done')
}
</script>

<template>
  <form class="lines" data-testid="date-form" @submit.prevent="set">
    <label for="date-kind" class="hide">Kind</label
    ><select id="date-kind" v-model="form.kind" class="in" data-testid="date-kind">
      <option v-for="o in kinds" :key="o.value" :value="o.value">{{ o.label }}</option>
    </select>
    <label for="date-owed" class="hide">Owed by</label
    ><select id="date-owed" v-model="form.owed" class="in" data-testid="date-owed">
      <option value="">Owed by the usual side</option>
      <option value="theirs">Owed by the vendor</option>
      <option value="ours">Owed by us</option>
    </select>
    <input
      v-model="form.text"
      class="in"
      aria-label="What should happen"
      placeholder="What should happen"
      data-testid="date-text"
    />
    <DateDetails v-model="details" :kind="form.kind" name="new-date" />
    <label class="row"
      >Due <input v-model="form.due" class="in" type="datetime-local" aria-label="Due" data-testid="date-due"
    /></label>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <div class="row">
      <NButton size="small" type="primary" attr-type="submit" :loading="busy" data-testid="set-date">Set date</NButton
      ><NButton size="small" @click="emit('done')">Cancel</NButton>
    </div>
  </form>
</template>
