<script setup lang="ts">
import type { Schemas } from '../shared/api'
import { label } from '../shared/words'
import MoveArrow from '../shared/MoveArrow.vue'
import SeverityPlate from '../shared/SeverityPlate.vue'
import StandingMark from '../shared/StandingMark.vue'
import TimeText from '../shared/TimeText.vue'

// One column of a case in the list.
const props = defineProps<{
  column: Schemas['CaseColumn']
  line: Schemas['CaseLine']
  /** The moment as of which the list is shown, in the address. */
  stood?: Record<string, string>
}>()
const target = (l: { state: string; number: string }) =>
  l.state === 'draft' && !props.stood?.at ? `/open/${l.number}` : { path: `/cases/${l.number}`, query: props.stood }
const times: Partial<Record<Schemas['CaseColumn'], keyof Schemas['CaseLine']>> = {
  due: 'due',
  next: 'next_at',
  opened: 'opened_at',
  changed: 'changed_at',
  last_vendor_reply: 'last_vendor_at',
  parked_until: 'parked_until',
  waiting_since: 'move_since',
}
const at = (l: Schemas['CaseLine'], c: Schemas['CaseColumn']) => l[times[c]!] as string | undefined
</script>

<template>
  <SeverityPlate v-if="column === 'severity'" :severity="line.severity" :word="line.severity_word" />
  <RouterLink v-else-if="column === 'case'" class="mono" data-walk :to="target(line)">{{ line.number }}</RouterLink>
  <span v-else-if="column === 'title'" class="title"
    ><b :title="line.title">{{ line.title }}</b
    ><span v-if="line.new" class="new" data-testid="new">{{ line.new }} new</span></span
  >
  <StandingMark v-else-if="column === 'standing'" :standing="line.standing" />
  <MoveArrow v-else-if="column === 'waiting'" :move="line.move" :whom="line.waits_on_words" />
  <TimeText v-else-if="times[column]" :at="at(line, column)" />
  <span v-else-if="column === 'owner'" :title="line.owner">{{ line.owner_initials }}</span>
  <template v-else-if="column === 'vendor'">{{ line.vendor }}</template>
  <span v-else-if="column === 'reference'" class="mono">{{ line.reference }}</span>
  <template v-else-if="column === 'state'">{{ label('State', line.state) }}</template>
  <template v-else-if="column === 'kind'">{{ label('CaseKind', line.kind) }}</template>
  <template v-else-if="column === 'level'">{{ line.level_label }}</template>
  <template v-else-if="column === 'deadline'">{{ label('DeadlineKind', line.deadline) }}</template>
  <template v-else-if="column === 'new'">{{ line.new || '' }}</template>
  <template v-else-if="column === 'unread'">{{ line.unread || '' }}</template>
  <span v-else-if="column === 'summary'" :title="line.summary">{{ line.summary }}</span>
</template>

<style scoped>
.title {
  display: flex;
  gap: 8px;
}
.title b {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
}
.new {
  flex: none;
  color: var(--brass);
  font-weight: 600;
}
</style>
