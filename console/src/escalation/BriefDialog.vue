<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, nextTick, onMounted, ref } from 'vue'
import { client, ok, words } from '../shared/api'
import { attrs } from '../shared/attrs'
import { useCopy } from '../shared/copy'
import DialogFrame from '../shared/DialogFrame.vue'
import LeavingCheck from '../files/LeavingCheck.vue'
import { useActs } from '../cases/acts'

// Tells management and users where a case stands: drafted, read, then emailed or copied; it stays on the case.
const props = defineProps<{ name: string; title: string }>()
const emit = defineEmits<{ leave: [] }>()
const { busy, problem, act, header } = useActs(() => props.name)
const text = ref('')
const to = ref('')
const copied = ref(false)
const disclose = ref('')
const stopped = ref(false)
const clip = useCopy()
const people = computed(() => [
  ...new Set(
    to.value
      .split(copied.value ? /[\n;]+/ : /[\s,;]+/)
      .map((s) => s.trim())
      .filter(Boolean),
  ),
])
onMounted(async () => {
  try {
    const path = { case: props.name }
    const draft = await ok(client.GET('/cases/{case}/briefings', { params: { path } }))
    if (!text.value) text.value = draft.text
  } catch (e) {
    problem.value = words(e)
  }
  await nextTick()
  document.getElementById('brief-to')?.focus()
})
async function go() {
  const done = await act(() =>
    ok(
      client.POST('/cases/{case}/briefings', {
        params: { path: { case: props.name }, header: header() },
        body: {
          text: text.value,
          to: people.value,
          copied: copied.value || undefined,
          disclose_reason: disclose.value.trim() || undefined,
        },
      }),
    ),
  )
  if (done) emit('leave')
}
</script>

<template>
  <DialogFrame name="brief-dialog" title="Tell management and users" size="middle" @leave="emit('leave')">
    <form @submit.prevent="go">
      <p class="sub">
        <span class="mono">{{ name }}</span> {{ title }}
      </p>
      <fieldset class="segments small just-below">
        <legend class="hide">How</legend>
        <label><input v-model="copied" type="radio" :value="false" name="how" />By email</label>
        <label
          ><input v-model="copied" type="radio" :value="true" name="how" data-testid="brief-copied" />I tell them</label
        >
      </fieldset>
      <div class="field">
        <label for="brief-to">{{ copied ? 'Who is told, one per line' : 'Email addresses' }}</label>
        <NInput
          v-model:value="to"
          type="textarea"
          :autosize="{ minRows: 1, maxRows: 4 }"
          placeholder=""
          :input-props="attrs({ id: 'brief-to', 'data-testid': 'brief-to' })"
        />
      </div>
      <div class="field">
        <label for="brief-text">Text</label>
        <NInput
          v-model:value="text"
          type="textarea"
          :autosize="{ minRows: 8, maxRows: 18 }"
          placeholder=""
          :input-props="attrs({ id: 'brief-text', 'data-testid': 'brief-text' })"
        />
        <LeavingCheck
          v-model:reason="disclose"
          :text="text"
          @mask="(t) => (text = t)"
          @stopped="(s) => (stopped = s)"
        />
      </div>
      <p class="sub small">It stays on the case, with who was told and when.</p>
      <p v-if="problem" class="problem above" role="alert">{{ problem }}</p>
      <div class="row far">
        <NButton
          type="primary"
          attr-type="submit"
          :loading="busy"
          :disabled="!text.trim() || !people.length || stopped"
          data-testid="brief-go"
          >{{ copied ? 'Save' : 'Send email' }}</NButton
        >
        <NButton @click="clip.copy(text)">{{ clip.copied.value ? 'Copied' : 'Copy the text' }}</NButton>
        <NButton @click="emit('leave')">Cancel</NButton>
      </div>
    </form>
  </DialogFrame>
</template>
