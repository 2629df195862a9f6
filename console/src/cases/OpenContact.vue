<script setup lang="ts">
import { NInput } from 'naive-ui'
import { computed, ref } from 'vue'
import { type Texts } from '../shared/api'
import { attrs } from '../shared/attrs'
import { forInput, fromInput, short, useClock, zoneHere } from '../shared/time'
import { choicesOf } from '../shared/words'
import ConsentList from './ConsentList.vue'
import { useDraftHere } from './draft'

const d = useDraftHere()
const now = useClock()
type Key = 'contact' | 'contact_always' | 'on_site' | 'copy_to' | 'instructions'
const usual: { key: Key; label: string; hint?: string }[] = [
  { key: 'contact', label: 'Contact' },
  { key: 'contact_always', label: 'Contact round the clock' },
]
const further: typeof usual = [
  { key: 'on_site', label: 'Contact on site', hint: 'Name, phone and the address of the equipment' },
  { key: 'copy_to', label: 'People to copy', hint: 'Email addresses, separated by commas' },
  { key: 'instructions', label: 'Special instructions' },
]
const used = computed(() =>
  (['contact_by', 'call_from', 'call_until', 'on_site', 'copy_to', 'instructions'] as const).some(
    (k) => d.form.texts[k],
  ),
)
const more = ref(false)
const rows = computed(() => (more.value || used.value ? [...usual, ...further] : usual))
const typed = (key: 'call_from' | 'call_until') => (e: Event) => {
  const at = (e.target as HTMLInputElement).value
  d.form.texts[key] = at ? fromInput(at) : ''
}
const known = (t: string | undefined) => (t && !Number.isNaN(Date.parse(t)) ? t : '')
const inputOf = (t: string | undefined) => (known(t) ? forInput(t!) : '')
/** The same time where the vendor is. */
const there = computed(() => {
  const { call_from: from, call_until: until } = d.form.texts as Texts
  if (!known(from) || !known(until) || !d.draft?.vendor_zone) return ''
  const at = (t: string) => short(t, now.value, d.draft!.vendor_zone)
  return `${at(from!)} to ${at(until!)} vendor time`
})
</script>

<template>
  <section class="panel part" aria-labelledby="p4">
    <h2 id="p4"><span class="mono n">4</span> Contact</h2>
    <template v-for="s in rows" :key="s.key">
      <div class="field">
        <label :for="`t-${s.key}`">{{ s.label }}</label>
        <NInput
          v-model:value="d.form.texts[s.key]"
          :type="s.key === 'instructions' ? 'textarea' : 'text'"
          :autosize="s.key === 'instructions' ? { minRows: 1, maxRows: 8 } : undefined"
          :placeholder="s.hint ?? ''"
          :input-props="attrs({ id: `t-${s.key}`, 'data-testid': s.key })"
        />
        <template v-if="s.key === 'contact_always' && d.draft?.contact_from_rota && !d.form.texts.contact_always"
          ><span></span>
          <p class="sub small" data-testid="from-rota">{{ d.draft.contact_from_rota }} (from the rota)</p></template
        >
      </div>
      <template v-if="s.key === 'contact_always' && rows.length > usual.length">
        <div class="field">
          <label for="contact-by">Reach us by</label>
          <select id="contact-by" v-model="d.form.texts.contact_by" class="in by" data-testid="contact_by">
            <option v-for="c in choicesOf('Texts.contact_by')" :key="c.value" :value="c.value || undefined">
              {{ c.label }}
            </option>
          </select>
        </div>
        <div class="field">
          <span id="l-call" class="label"
            >Callback<span class="sub small zone">times in {{ zoneHere() }}</span></span
          >
          <div>
            <div class="row call" role="group" aria-labelledby="l-call">
              <input
                class="in when"
                type="datetime-local"
                aria-label="Callback from"
                :value="inputOf(d.form.texts.call_from)"
                data-testid="call_from"
                @change="typed('call_from')($event)"
              />
              to
              <input
                class="in when"
                type="datetime-local"
                aria-label="Callback until"
                :value="inputOf(d.form.texts.call_until)"
                data-testid="call_until"
                @change="typed('call_until')($event)"
              />
            </div>
            <p v-if="there" class="sub small" data-testid="call-there">{{ there }}</p>
          </div>
        </div>
      </template>
    </template>
    <div v-if="d.draft" class="field">
      <span class="label">Consents</span>
      <ConsentList :view="d.draft" may />
    </div>
    <p v-if="rows.length === usual.length" class="field">
      <span></span>
      <button class="linkish" type="button" data-testid="more-contact" @click="more = true">
        Callback, contact on site, people to copy, instructions
      </button>
    </p>
  </section>
</template>

<style scoped>
.by {
  max-width: 180px;
}
.when {
  max-width: 220px;
}
.call {
  flex-wrap: wrap;
}
.zone {
  display: block;
}
</style>
