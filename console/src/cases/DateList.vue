<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Case } from '../shared/api'
import { label } from '../shared/words'
import StandingMark from '../shared/StandingMark.vue'
import TimeText from '../shared/TimeText.vue'
import DateForm from './DateForm.vue'
import DateLine from './DateLine.vue'

// What is to happen by a date on a case: each is kept, moved or dropped here, and others are added.
const props = defineProps<{ view: Case; may: boolean; live: boolean }>()
const adding = ref(false)
const all = ref(false)
const open = computed(() => (props.view.dates ?? []).filter((d) => !d.ended_at))
const ended = computed(() => (props.view.dates ?? []).filter((d) => d.ended_at))
</script>

<template>
  <section v-if="open.length || ended.length || (may && live)" aria-label="Dates" data-testid="dates">
    <h2>Dates</h2>
    <DateLine v-for="d in open" :key="d.item" :view="view" :date="d" :may="may" :live="live" />
    <template v-if="all">
      <p v-for="(d, i) in ended" :key="i" class="small sub" data-testid="ended-date">
        {{ label('DateKind', d.kind) }}: {{ d.text }} · <TimeText :at="d.due_at" />
        <StandingMark :standing="d.standing" />
      </p>
    </template>
    <DateForm v-if="adding" :view="view" @done="adding = false" />
    <p v-else class="row wraps small">
      <button v-if="may && live" class="linkish" type="button" data-testid="add-date" @click="adding = true">
        Set a date
      </button>
      <button v-if="ended.length && !all" class="linkish" type="button" data-testid="all-dates" @click="all = true">
        Show {{ ended.length }} ended
      </button>
    </p>
  </section>
</template>
