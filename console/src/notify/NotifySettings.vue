<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { reactive, ref, watch } from 'vue'
import { client, ok, words, type Schemas } from '../shared/api'
import { useSending } from '../shared/sending'
import { choicesOf, label } from '../shared/words'
import TimeText from '../shared/TimeText.vue'
import { possible, refused, want, wanted } from './desktop'
import { useSettings } from './queries'

// What a person wants to be told, and how.
type Way = Schemas['NotificationWay']
const queries = useQueryClient()
const { data, error } = useSettings()
const form = reactive({ ways: {} as Record<string, Way>, from: '', to: '', always: false, digest: '' })
const saved = ref(false)
const { busy, problem, send } = useSending()
watch(
  data,
  (d) => {
    if (!d) return
    const s = d.data
    Object.assign(form, {
      ways: { ...s.ways },
      from: s.quiet_from,
      to: s.quiet_to,
      always: s.quiet_always,
      digest: s.digest_at,
    })
  },
  { immediate: true },
)
async function save() {
  saved.value = await send(() =>
    ok(
      client.PATCH('/notification-settings', {
        params: { header: { 'If-Match': data.value!.etag } },
        headers: { 'Content-Type': 'application/merge-patch+json' },
        body: {
          ways: form.ways,
          quiet_from: form.from,
          quiet_to: form.to,
          quiet_always: form.always,
          digest_at: form.digest,
        },
      }),
    ),
  )
  if (saved.value) await queries.invalidateQueries({ queryKey: ['notifications', 'settings'] })
}
</script>

<template>
  <form class="panel settings" aria-label="What you are told" data-testid="settings" @submit.prevent="save">
    <h2>What you are told</h2>
    <p v-if="error" class="problem" role="alert">{{ words(error) }}</p>
    <template v-if="data">
      <div v-for="k in choicesOf('NotificationKind')" :key="k.value" class="line">
        <label :for="`way-${k.value}`">{{ k.label }}</label>
        <select :id="`way-${k.value}`" v-model="form.ways[k.value]" class="in" :data-testid="`way-${k.value}`">
          <option v-for="w in choicesOf('NotificationWay')" :key="w.value" :value="w.value">{{ w.label }}</option>
        </select>
      </div>
      <p v-if="data.data.no_email" class="sub small">
        The desk sends its people no email yet: the email link is chosen in
        <RouterLink to="/register/policy">our policy</RouterLink>.
      </p>
      <div class="line">
        <label for="quiet-from">No email from</label>
        <span class="row">
          <input
            id="quiet-from"
            v-model="form.from"
            class="in time"
            maxlength="5"
            placeholder="hh:mm"
            data-testid="quiet-from"
          />
          <label for="quiet-to">to</label>
          <input
            id="quiet-to"
            v-model="form.to"
            class="in time"
            maxlength="5"
            placeholder="hh:mm"
            data-testid="quiet-to"
          />
        </span>
      </div>
      <label class="row small"
        ><input v-model="form.always" type="checkbox" /> Not even for severity 1 ({{ label('Severity', '1') }})</label
      >
      <div class="line">
        <label for="digest-at">Digest by email at</label>
        <input
          id="digest-at"
          v-model="form.digest"
          class="in time"
          maxlength="5"
          placeholder="hh:mm"
          data-testid="digest-at"
        />
      </div>
      <p class="sub small">
        Times in {{ data.data.zone }}.
        <template v-if="data.data.next_digest"
          >Next digest: <TimeText :at="data.data.next_digest" :zone="data.data.zone" />.</template
        >
      </p>
      <label v-if="possible" class="row small"
        ><input
          type="checkbox"
          :checked="wanted"
          data-testid="desktop"
          @change="want(($event.target as HTMLInputElement).checked)"
        />
        Show on this computer's desktop while another window is in front</label
      >
      <p v-if="refused" class="warn small">
        The browser does not allow it: allow notifications for this page in its settings.
      </p>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <div class="row">
        <NButton type="primary" attr-type="submit" size="small" :loading="busy" data-testid="save-settings"
          >Save settings</NButton
        >
        <span v-if="saved && !problem" class="sub" role="status">Saved</span>
      </div>
    </template>
  </form>
</template>

<style scoped>
.settings {
  padding: 14px 16px;
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.line {
  display: grid;
  grid-template-columns: 150px minmax(0, 1fr);
  align-items: center;
  gap: 8px;
}
.time {
  width: 80px;
}
</style>
