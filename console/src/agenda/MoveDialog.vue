<script setup lang="ts">
import { NButton } from 'naive-ui'
import { ref } from 'vue'
import { client, ok } from '../shared/api'
import { useActs } from '../cases/acts'
import { clock, forInput, fromInput, longDay } from '../shared/time'
import DialogFrame from '../shared/DialogFrame.vue'
import { dueOf, type Event } from './days'

// Moves something that is to happen to another date, with a reason.
const props = defineProps<{ event: Event }>()
const emit = defineEmits<{ leave: [] }>()
const { busy, problem, act, header } = useActs(() => props.event.case!)
const was = dueOf(props.event)
const due = ref(forInput(was.toISOString()))
const why = ref('')

async function move() {
  const done = await act(() =>
    ok(
      client.POST('/cases/{case}/dates/{item}/end', {
        params: { path: { case: props.event.case!, item: props.event.item! }, header: header() },
        body: { how: 'moved', text: why.value.trim() || undefined, due: due.value ? fromInput(due.value) : undefined },
      }),
    ),
  )
  if (done) emit('leave')
}
</script>

<template>
  <DialogFrame name="move-dialog" title="Move to another date" size="narrow" @leave="emit('leave')">
    <form class="lines" @submit.prevent="move">
      <p>
        {{ event.title }}<br /><span class="sub">now {{ longDay(was) }}, {{ clock(was) }}</span>
      </p>
      <label>New date <input v-model="due" class="in" type="datetime-local" data-testid="move-to" /></label>
      <label>Reason <input v-model="why" class="in" data-testid="move-why" /></label>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <div class="row">
        <NButton type="primary" attr-type="submit" :loading="busy" data-testid="do-move">Move</NButton>
        <NButton @click="emit('leave')">Cancel</NButton>
      </div>
    </form>
  </DialogFrame>
</template>
