<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, ref, toRef } from 'vue'
import { client, newKey, ok, words } from '../shared/api'
import { useSending } from '../shared/sending'
import TimeText from '../shared/TimeText.vue'
import { bytes } from './bytes'
import ComingFiles from './ComingFiles.vue'
import { isPicture } from './queries'
import { add, useComing } from './uploads'

// The papers and pictures of a vendor, contract, account or asset.
const props = defineProps<{ kind: 'vendor' | 'contract' | 'account' | 'asset'; owner: string; may: boolean }>()
const queries = useQueryClient()
const of = computed(() => `${props.kind}/${props.owner}`)
const path = computed(() => ({ kind: props.kind, owner: props.owner }))
const { data, error } = useQuery({
  queryKey: computed(() => ['papers', of.value]),
  queryFn: () => ok(client.GET('/papers/{kind}/{owner}', { params: { path: path.value } })),
})
const coming = useComing(toRef(() => of.value))
const papers = computed(() => data.value?.items ?? [])
const { busy, problem, send } = useSending()
const removing = ref(0)
const why = ref('')
const picker = ref<HTMLInputElement>()
const at = (number: number, show = false) =>
  `/api/v1/papers/${props.kind}/${encodeURIComponent(props.owner)}/${number}/content${show ? '?show=true' : ''}`
const anew = () => void queries.invalidateQueries({ queryKey: ['papers'] })
function pick(e: Event) {
  const input = e.target as HTMLInputElement
  add(of.value, [...(input.files ?? [])], { paper: true }, anew)
  input.value = ''
}
const remove = (file: number) =>
  send(async () => {
    await ok(
      client.POST('/papers/{kind}/{owner}/{file}/removal', {
        params: { path: { ...path.value, file }, header: { 'Idempotency-Key': newKey() } },
        body: { reason: why.value.trim() },
      }),
    )
    removing.value = 0
    anew()
  })
</script>

<template>
  <section v-if="may || papers.length" class="papers" aria-label="Papers and pictures" data-testid="papers">
    <h2>Papers and pictures</h2>
    <p v-if="error && !data" class="problem" role="alert">{{ words(error) }}</p>
    <p v-else-if="data && !papers.length && !coming.length" class="sub small">
      None yet. What belongs here: the contract as it was signed, a price list, a picture of the rack.
    </p>
    <ul v-if="papers.length">
      <li v-for="p in papers" :key="p.number" :data-testid="'paper-' + p.number">
        <img v-if="isPicture(p) && !p.removed" :src="at(p.number, true)" :alt="p.caption || p.name" />
        <div>
          <span class="tn">{{ p.number }}</span>{{ ' ' }}
          <a v-if="!p.removed" :href="at(p.number)" download>{{ p.name }}</a><span v-else>{{ p.name }}</span>
          <p v-if="p.caption" class="small">{{ p.caption }}</p>
          <p class="sub small">
            {{ bytes(p.bytes) }} · {{ p.added_by }} · <TimeText :at="p.added_at" /><template v-if="p.removed">
              · content removed: {{ p.removed }}</template
            >
            <button
              v-else-if="may && removing !== p.number"
              class="linkish"
              type="button"
              :aria-label="`Remove ${p.name}`"
              :data-testid="'remove-paper-' + p.number"
              @click="((removing = p.number), (why = ''))"
            >
              Remove
            </button>
          </p>
          <form v-if="removing === p.number" class="row" @submit.prevent="remove(p.number)">
            <input
              v-model="why"
              class="in"
              maxlength="1000"
              aria-label="Reason"
              placeholder="Reason"
              data-testid="paper-why"
            />
            <NButton
              size="small"
              attr-type="submit"
              :loading="busy"
              :disabled="!why.trim()"
              data-testid="do-remove-paper"
              >Remove the content</NButton
            ><NButton size="small" @click="removing = 0">Cancel</NButton>
          </form>
        </div>
      </li>
    </ul>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <ComingFiles :of="of" />
    <template v-if="may">
      <NButton size="small" data-testid="add-papers" @click="picker?.click()">Add papers</NButton>
      <input ref="picker" type="file" multiple hidden aria-label="Papers" data-testid="pick-papers" @change="pick" />
    </template>
  </section>
</template>

<style scoped>
.papers {
  margin-top: 22px;
}
ul {
  list-style: none;
  margin: 8px 0;
  padding: 0;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
li {
  display: flex;
  gap: 12px;
  align-items: flex-start;
  overflow-wrap: anywhere;
}
img {
  width: 120px;
  max-height: 90px;
  object-fit: cover;
  border: 1px solid var(--line2);
}
.linkish {
  margin-left: 8px;
}
</style>
