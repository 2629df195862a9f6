<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed } from 'vue'
import { client, newKey, ok, words } from '../shared/api'
import { useFilters } from '../shared/filters'
import { useSending } from '../shared/sending'
import { label } from '../shared/words'
import { span } from '../shared/time'
import SeverityPlate from '../shared/SeverityPlate.vue'
import TimeText from '../shared/TimeText.vue'
import NotifySettings from './NotifySettings.vue'
import { useTold, type Told } from './queries'

// What a person was told of, the newest first, and what they want to be told.
const queries = useQueryClient()
const { one, set } = useFilters()
const unread = computed(() => one('show') === 'unread')
const { items, data, error, hasNextPage, fetchNextPage } = useTold(unread)
const left = computed(() => data.value?.pages[0]?.unread ?? 0)
const { busy, problem, send } = useSending()
const params = () => ({ header: { 'Idempotency-Key': newKey() } })
async function read(body: { ids?: number[]; through?: number }) {
  await send(() => ok(client.POST('/notifications/read', { params: params(), body })))
  await queries.invalidateQueries({ queryKey: ['notifications'] })
}
const wrote = (n: Told) => n.kind === 'message' || n.kind === 'unread'
</script>

<template>
  <div class="row below wraps">
    <h1>Notifications</h1>
    <span class="sub">{{
      left === 0 ? 'Nothing is unread' : left >= 1000 ? '1000 or more unread' : `${left} unread`
    }}</span>
    <label class="row">
      <input
        type="checkbox"
        :checked="unread"
        data-testid="only-unread"
        @change="set({ show: ($event.target as HTMLInputElement).checked ? 'unread' : undefined })"
      />
      Only unread
    </label>
    <NButton
      v-if="left > 0 && items?.length"
      class="right"
      size="small"
      :disabled="busy"
      data-testid="read-all"
      @click="read({ through: items[0]!.id })"
      >Mark all as read</NButton
    >
  </div>
  <p v-if="error || problem" class="problem" role="alert">{{ problem || words(error) }}</p>
  <div class="sides">
    <section class="panel" aria-label="What you were told">
      <p v-if="items?.length === 0" class="sub roomy">
        {{ unread ? 'You have read everything.' : 'Nothing yet.' }} You are told what comes due and what vendors write
        on cases that you own or watch, and when a note mentions you with @ and your name.
      </p>
      <div
        v-for="n in items"
        :key="n.id"
        class="told"
        :class="{ fresh: !n.read_at }"
        data-testid="notification"
        :data-kind="n.kind"
      >
        <SeverityPlate :severity="n.severity || undefined" :word="label('Severity', String(n.severity))" />
        <div class="grow">
          <p class="cut">
            <RouterLink :to="`/cases/${n.case}`" data-walk class="name"
              ><span class="mono">{{ n.case }}</span> {{ n.title }}</RouterLink
            >
          </p>
          <p class="what">
            <b>{{ label('NotificationKind', n.kind) }}</b><template v-if="n.what">: {{ n.what }}</template>
            <span v-if="n.late_seconds" class="sub"> (told {{ span(n.late_seconds) }} later)</span>
          </p>
          <p class="sub small">
            {{ n.vendor
            }}<template v-if="n.owed && !wrote(n)"
              >, {{ n.owed === 'ours' ? 'due from us' : 'due from the vendor' }}</template
            >
            ·
            {{ label('NotificationReason', n.because) }}
          </p>
        </div>
        <div class="when">
          <TimeText :at="n.at" />
          <button
            v-if="!n.read_at"
            class="linkish small"
            type="button"
            :aria-label="`Mark as read: ${n.case}, ${label('NotificationKind', n.kind)}`"
            :disabled="busy"
            @click="read({ ids: [n.id] })"
          >
            Mark as read
          </button>
        </div>
      </div>
      <p v-if="hasNextPage" class="more">
        <button class="linkish" type="button" data-testid="more" @click="fetchNextPage()">Show earlier ones</button>
      </p>
    </section>
    <NotifySettings />
  </div>
</template>

<style scoped>
.sides {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 400px;
  gap: 16px;
  align-items: start;
}
.told {
  display: grid;
  grid-template-columns: 30px minmax(0, 1fr) auto;
  gap: 10px;
  padding: 8px 14px;
  border-bottom: 1px solid var(--line2);
}
.told:last-child {
  border-bottom: 0;
}
.told.fresh {
  box-shadow: inset 3px 0 0 var(--primary);
}
.fresh .name {
  font-weight: 650;
}
.what {
  overflow-wrap: anywhere;
}
.when {
  display: flex;
  flex-direction: column;
  align-items: flex-end;
  gap: 2px;
}
.when button {
  min-height: 24px;
}
.more {
  padding: 12px 14px;
}
@media (max-width: 960px) {
  .sides {
    grid-template-columns: 1fr;
  }
}
</style>
