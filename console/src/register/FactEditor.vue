<script setup lang="ts">
import { useDebounceFn, useEventListener } from '@vueuse/core'
import { useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, nextTick, ref, watch } from 'vue'
import { Problem, words as say } from '../shared/api'
import { difference, type Members } from './things'
import { type FormName } from './fields'
import ThingForm from './ThingForm.vue'

const props = defineProps<{
  kind: FormName
  fresh?: boolean
  start: Members & { vendor?: string }
  /** Says what would be wrong, by the same rules that will decide. */
  check?: (members: Members) => Promise<{ errors: { field: string; detail: string }[] }>
  keep: (members: Members, confirmed: boolean) => Promise<unknown>
}>()
const emit = defineEmits<{ leave: []; kept: [] }>()
const queries = useQueryClient()

const copy = (x: Members) => JSON.parse(JSON.stringify(x)) as Members & { vendor?: string }
const before = copy(props.start)
const facts = ref(copy(props.start))
const errors = ref<Record<string, string>>({})
const problem = ref('')
const asks = ref('')
const busy = ref(false)
const change = computed(() => (props.fresh ? facts.value : difference(before, facts.value)))
const touched = computed(() => JSON.stringify(before) !== JSON.stringify(facts.value))

function told(e: unknown) {
  if (!(e instanceof Problem) || !e.doc.errors?.length) return false
  errors.value = Object.fromEntries(e.doc.errors.map((f) => [f.field, f.detail]))
  return true
}
/** Brings the first thing that is wrong before one's eyes. */
async function show() {
  await nextTick()
  const wrong = form.value?.querySelector('[data-testid^="wrong-"]')
  wrong?.scrollIntoView({ block: 'center' })
  wrong?.parentElement?.querySelector<HTMLElement>('input, select, textarea')?.focus({ preventScroll: true })
}
const form = ref<HTMLElement>()
let done = false
const look = useDebounceFn(async () => {
  if (done) return
  const said = await props.check?.(change.value).catch(() => undefined)
  if (said && !done) errors.value = Object.fromEntries(said.errors.map((f) => [f.field, f.detail]))
}, 350)
watch(
  facts,
  () => {
    if (!props.fresh || facts.value.vendor || facts.value.key) void look()
  },
  { deep: true },
)
useEventListener(window, 'beforeunload', (e) => {
  if (touched.value && !done) e.preventDefault()
})

async function save(confirmed = false) {
  busy.value = true
  problem.value = ''
  try {
    if (props.fresh || touched.value) await props.keep(change.value, confirmed)
    done = true
    emit('kept')
  } catch (e) {
    if (e instanceof Problem && e.kind === 'touches-cases') asks.value = e.message
    else if (e instanceof Problem && e.kind === 'stale') {
      problem.value =
        'Somebody else has changed it since you started. Your changes are still here: ' +
        'open it in another tab to compare, or cancel and start again.'
      void queries.invalidateQueries() // whoever starts again starts from what is there now
    } else if (told(e)) {
      problem.value = 'Not saved yet: see the messages beside the fields.'
      void show()
    } else problem.value = say(e)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <form ref="form" class="panel form" @submit.prevent="save()">
    <ThingForm v-model="facts" :kind="kind" :fresh="!!fresh" :errors="errors" />
    <p v-if="problem" class="problem" role="alert" data-testid="problem">{{ problem }}</p>
    <div v-if="asks" class="ask" role="alertdialog" aria-label="This affects live cases">
      <p data-testid="asks">{{ asks }}</p>
      <NButton type="primary" data-testid="apply-anyway" :loading="busy" @click="save(true)">Apply anyway</NButton>
    </div>
    <div class="row keep">
      <NButton type="primary" attr-type="submit" data-testid="save" :loading="busy" :disabled="!fresh && !touched">{{
        fresh ? 'Add' : 'Save'
      }}</NButton>
      <NButton data-testid="leave" @click="emit('leave')">Cancel</NButton>
      <span v-if="Object.keys(errors).length" class="wrong small" role="status"
        ><button class="linkish wrong" type="button" data-testid="show-wrong" @click="show">
          {{ Object.keys(errors).length === 1 ? '1 field needs' : `${Object.keys(errors).length} fields need` }}
          attention
        </button></span
      >
    </div>
  </form>
</template>

<style scoped>
.form {
  padding: 6px 20px 16px;
  margin-top: 12px;
  max-width: 1180px;
}
.problem {
  margin-top: 12px;
}
.keep {
  margin-top: 18px;
  position: sticky;
  bottom: 0;
  background: var(--panel);
  padding: 10px 0;
  border-top: 1px solid var(--line2);
  z-index: 1;
}
.wrong {
  color: var(--late);
}
.ask {
  padding: 12px 16px;
  margin-top: 12px;
  display: flex;
  flex-direction: column;
  gap: 10px;
  align-items: flex-start;
  border-left: 3px solid var(--soon);
}
</style>
