<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { pickedRoute, routeKey, routeWords, type Route } from '../shared/routes'
import DialogFrame from '../shared/DialogFrame.vue'
import { useDraftHere } from './draft'

const props = defineProps<{ routes: Route[] }>()
const picked = defineModel<string>('picked')
const emit = defineEmits<{ leave: [] }>()
const d = useDraftHere()
const router = useRouter()
const filing = ref(false)
const via = computed(() => pickedRoute(props.routes, picked.value))
const way = computed(() => (via.value ? routeWords(via.value, props.routes) : ''))

async function file() {
  filing.value = true
  const done = await d.step({ step: 'file', channel: via.value?.channel, link: via.value?.link })
  filing.value = false
  emit('leave')
  if (done) await router.push(`/cases/${done.line.number}`)
}
onMounted(() => setTimeout(() => document.querySelector<HTMLElement>('[data-testid="file"]')?.focus(), 50))
</script>

<template>
  <DialogFrame v-if="d.draft" name="review-dialog" title="Review" size="broad" @leave="emit('leave')">
    <p class="sub">
      This will be sent to {{ d.draft.line.vendor }} {{ way }}, at level “{{ d.draft.level_held?.label }}”{{
        via?.automatic ? '' : '; you send it yourself'
      }}.
    </p>
    <div v-if="routes.length > 1" class="segments by" role="radiogroup" aria-label="Channel">
      <label v-for="r in routes" :key="routeKey(r)" :data-testid="'route-' + routeKey(r)">
        <input type="radio" name="route" :value="routeKey(r)" :checked="via === r" @change="picked = routeKey(r)" />{{
          routeWords(r, routes)
        }}
      </label>
    </div>
    <p class="what">
      <b>{{ d.draft.line.title }}</b>
    </p>
    <pre>{{ d.draft.preview }}</pre>
    <div class="row">
      <NButton type="primary" :loading="filing" data-testid="file" @click="file">
        {{ via?.automatic ? 'File with ' + d.draft.line.vendor : 'Prepare for sending' }}
      </NButton>
      <NButton @click="emit('leave')">Cancel</NButton>
    </div>
  </DialogFrame>
</template>

<style scoped>
.by {
  margin-top: 8px;
}
.what {
  margin-top: 12px;
}
pre {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  font: inherit;
  max-height: 46vh;
  overflow: auto;
  border: 1px solid var(--line2);
  border-radius: 4px;
  padding: 10px 14px;
  background: var(--paper);
  margin: 6px 0 16px;
}
</style>
