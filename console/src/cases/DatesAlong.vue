<script setup lang="ts">
import { computed } from 'vue'
import type { Case } from '../shared/api'
import { label } from '../shared/words'
import { sayings, type Along } from './along'

// What a message or a call dates, and which open dates it keeps.
const props = defineProps<{ view: Case; call?: boolean }>()
const along = defineModel<Along>({ required: true })
const kinds = computed(() => sayings.filter((s) => props.call || s.value === 'we-ask'))
const open = computed(() => (props.view.dates ?? []).filter((d) => !d.ended_at && (props.call || d.owed === 'ours')))
const what = computed(() => (props.call ? 'Kept by this' : 'Answered by this'))
</script>

<template>
  <div class="along small">
    <fieldset v-if="open.length" class="keeps" data-testid="keeps">
      <legend class="sub">{{ what }}</legend>
      <label v-for="d in open" :key="d.item" class="row"
        ><input v-model="along.keeps" type="checkbox" :value="d.item" :data-testid="`keeps-${d.item}`" />
        {{ label('DateKind', d.kind) }}: {{ d.text }}</label
      >
    </fieldset>
    <div v-for="(r, i) in along.rows" :key="i" class="row said" :data-testid="`said-${i}`">
      <select v-if="kinds.length > 1" v-model="r.what" class="in kind" aria-label="What was said">
        <option v-for="k in kinds" :key="k.value" :value="k.value">{{ k.label }}</option></select
      ><span v-else>{{ kinds[0]?.label }}</span>
      <input v-model="r.text" class="in" aria-label="What" maxlength="1000" :data-testid="`said-text-${i}`" />
      <label :for="`said-due-${i}`">by</label
      ><input :id="`said-due-${i}`" v-model="r.due" class="in when" type="datetime-local" />
      <button class="linkish" type="button" @click="along.rows.splice(i, 1)">Remove</button>
    </div>
    <p>
      <button
        class="linkish"
        type="button"
        data-testid="add-said"
        @click="along.rows.push({ what: kinds[0]!.value, text: '', due: '' })"
      >
        {{ call ? 'Add what was promised or asked, with its date' : 'Add what we ask, with its date' }}
      </button>
    </p>
  </div>
</template>

<style scoped>
.along {
  display: flex;
  flex-direction: column;
  gap: 6px;
}
.keeps {
  border: 0;
  margin: 0;
  padding: 0;
}
.said {
  flex-wrap: wrap;
}
.said > .in {
  flex: 1 1 160px;
  height: 32px;
}
.said > .kind,
.said > .when {
  flex: 0 0 auto;
  width: auto;
}
</style>
