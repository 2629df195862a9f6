<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, nextTick, onMounted, reactive } from 'vue'
import { client, newKey, ok, type Schemas } from '../shared/api'
import { forInput, fromInput } from '../shared/time'
import { useSending } from '../shared/sending'
import { usePeople } from '../people/queries'

// One shift, new or old, or several that people take one after the other.
const props = defineProps<{
  rota: Schemas['Rota']
  shift?: Schemas['Shift']
  from?: string
  until?: string
  plan?: boolean
}>()
const emit = defineEmits<{ kept: []; leave: [] }>()
const people = usePeople()
const here = computed(() => people.data.value?.items.filter((p) => p.active) ?? [])
// A new shift begins where the last one ends.
const last = props.rota.shifts.at(-1)?.until ?? props.rota.as_of
const begin = props.shift?.from ?? props.from ?? last
const day = 86_400_000
const form = reactive({
  from: forInput(begin),
  until: forInput(props.shift?.until ?? props.until ?? new Date(new Date(begin).getTime() + 7 * day).toISOString()),
  person: props.shift?.email ?? '',
  phone: props.shift?.phone ?? '',
  note: props.shift?.note ?? '',
  days: 7,
  shifts: 4,
  people: [] as string[],
})
const { busy, problem, send } = useSending()
const key = newKey()
const own = computed(() => here.value.find((p) => p.email === form.person)?.phone)
onMounted(async () => {
  await nextTick()
  document.getElementById('shift-from')?.focus()
})

function changed() {
  // Another person has another phone.
  if (form.person !== props.shift?.email) form.phone = ''
}
async function act(what: () => Promise<unknown>) {
  if (await send(what)) emit('kept')
}
const keep = () =>
  act(() => {
    const from = fromInput(form.from)
    const header = { 'Idempotency-Key': key }
    if (props.plan)
      return ok(
        client.POST('/rota/plan', {
          params: { header },
          body: { from, days: form.days, shifts: form.shifts, people: form.people },
        }),
      )
    const body = { from, until: fromInput(form.until), person: form.person, phone: form.phone, note: form.note }
    if (!props.shift) return ok(client.POST('/rota', { params: { header }, body }))
    return ok(
      client.PATCH('/rota/{shift}', {
        params: { path: { shift: props.shift.id }, header: { 'If-Match': `"v${props.shift.version}"` } },
        body,
        headers: { 'Content-Type': 'application/merge-patch+json' },
      }),
    )
  })
const remove = () =>
  act(() =>
    ok(
      client.DELETE('/rota/{shift}', {
        params: { path: { shift: props.shift!.id }, header: { 'If-Match': `"v${props.shift!.version}"` } },
      }),
    ),
  )
</script>

<template>
  <form
    class="panel filled"
    :aria-label="plan ? 'Plan shifts' : shift ? 'Change shift' : 'New shift'"
    data-testid="shift-form"
    @submit.prevent="keep"
  >
    <div class="grid">
      <label for="shift-from">{{ plan ? 'First handover' : 'From' }}</label><input
        id="shift-from"
        v-model="form.from"
        class="in"
        type="datetime-local"
        required
        data-testid="shift-from"
      />
      <template v-if="plan">
        <label for="plan-days">Days of each shift</label
        ><input id="plan-days" v-model.number="form.days" class="in" type="number" min="1" max="366" required />
        <label for="plan-shifts">Number of shifts</label
        ><input id="plan-shifts" v-model.number="form.shifts" class="in" type="number" min="1" max="60" required />
        <span id="plan-people">People, in this order</span>
        <div role="group" aria-labelledby="plan-people" class="people">
          <label v-for="p in here" :key="p.email" class="row"
            ><input v-model="form.people" type="checkbox" :value="p.email" :data-testid="'plan-' + p.email" />
            {{ p.name }}
            <span v-if="form.people.includes(p.email)" class="sub">{{ form.people.indexOf(p.email) + 1 }}</span></label
          >
        </div>
      </template>
      <template v-else>
        <label for="shift-until">Until</label
        ><input
          id="shift-until"
          v-model="form.until"
          class="in"
          type="datetime-local"
          required
          data-testid="shift-until"
        />
        <label for="shift-person">Person</label
        ><select
          id="shift-person"
          v-model="form.person"
          class="in"
          required
          data-testid="shift-person"
          @change="changed"
        >
          <option v-for="p in here" :key="p.email" :value="p.email">{{ p.name }}</option>
        </select>
        <label for="shift-phone">Phone</label
        ><input
          id="shift-phone"
          v-model="form.phone"
          class="in"
          maxlength="120"
          :placeholder="own ? `${own}, if left empty` : 'With its country code'"
          data-testid="shift-phone"
        />
        <label for="shift-note">Note</label
        ><input id="shift-note" v-model="form.note" class="in" maxlength="1000" data-testid="shift-note" />
      </template>
    </div>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <div class="row">
      <NButton type="primary" attr-type="submit" :loading="busy" data-testid="keep-shift">{{
        plan ? 'Add shifts' : shift ? 'Save' : 'Add'
      }}</NButton><NButton @click="emit('leave')">Cancel</NButton
      ><NButton v-if="shift" class="right" :loading="busy" data-testid="remove-shift" @click="remove"
        >Remove shift</NButton
      >
    </div>
  </form>
</template>

<style scoped>
.people {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
}
.people .row {
  gap: 6px;
}
</style>
