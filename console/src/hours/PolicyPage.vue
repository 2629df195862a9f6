<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { client, whole, words as say } from '../shared/api'
import { useMe } from '../shared/queries'
import type { Members } from '../register/things'
import FactEditor from '../register/FactEditor.vue'
import FactSheet from '../register/FactSheet.vue'
import RegisterHead from '../register/RegisterHead.vue'

const me = useMe()
const queries = useQueryClient()
const { data, error } = useQuery({ queryKey: ['policy'], queryFn: () => whole(client.GET('/policy')) })
const facts = computed(() => (data.value?.data.facts ?? {}) as unknown as Members)
const editing = ref(false)
const etag = ref('') // of what the form began with, whatever is read meanwhile
watch(editing, (is) => is && (etag.value = data.value?.etag ?? ''))
// The severity is picked from a list of words, and kept as a number.
const keep = async (members: Members) => {
  const terms = (members.terms as Record<string, unknown>[] | undefined)?.map((t) => ({ ...t, level: Number(t.level) }))
  const now = await whole(
    client.PATCH('/policy', {
      params: { header: { 'If-Match': etag.value } },
      body: terms ? { ...members, terms } : members,
      headers: { 'Content-Type': 'application/merge-patch+json' },
    }),
  )
  queries.setQueryData(['policy'], now) // a change right after this one begins with it
}
</script>

<template>
  <RegisterHead at="policy">
    <NButton
      class="right"
      v-if="me.data.value?.may.includes('vendors') && !editing && data"
      data-testid="edit"
      @click="editing = true"
      >Change policy</NButton
    >
  </RegisterHead>
  <p v-if="error" class="problem" role="alert">{{ say(error) }}</p>
  <template v-if="data">
    <p class="sub">
      The targets of our own desk, version {{ data.data.version }}. A change makes a new version; cases keep the version
      they were filed under.
    </p>
    <FactEditor
      v-if="editing"
      kind="policy"
      :start="facts"
      :keep="keep"
      @kept="editing = false"
      @leave="editing = false"
    />
    <FactSheet v-else kind="policy" :facts="facts" />
  </template>
</template>
