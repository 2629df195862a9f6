<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { useStorage } from '@vueuse/core'
import { NButton, NConfigProvider, NInput } from 'naive-ui'
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { client, newKey, ok, words as say } from '../shared/api'
import { hitTarget } from '../register/find'
import { follow, live } from './live'
import { useMe } from '../shared/queries'
import { setClock } from '../shared/time'
import SignInPage from '../people/SignInPage.vue'
import BrandMark from './BrandMark.vue'
import RehearsalStrip from './RehearsalStrip.vue'
import NotifyBell from '../notify/NotifyBell.vue'
import DialogFrame from '../shared/DialogFrame.vue'
import { base, choose, overrides, scheme } from '../theme/theme'
import { attrs } from '../shared/attrs'

const router = useRouter()
const route = useRoute()
const queries = useQueryClient()
const me = useMe()
watch(
  () => me.data.value,
  (m) => m && setClock(m.now, me.dataUpdatedAt.value, m.rehearsal?.speed),
  { immediate: true },
)
const signedOut = ref(false)
const inside = computed(() => !!me.data.value && !signedOut.value)
const may = (act: string) => me.data.value?.may.includes(act) ?? false
const rooms = [
  { name: 'today', label: 'Today', to: '/' },
  { name: 'cases', label: 'Cases', to: '/cases' },
  { name: 'vendors', label: 'Vendors', to: '/vendors' },
  { name: 'register', label: 'Register', to: '/register/assets' },
  { name: 'agenda', label: 'Calendar', to: '/calendar' },
]
const here = computed(() => String(route.meta.room ?? route.name))
// In a narrow window the pages stand behind one button.
const menu = ref(false)
watch(
  () => route.fullPath,
  () => (menu.value = false),
)
const initials = computed(
  () =>
    me.data.value?.person.name
      .split(/\s+/)
      .map((w) => w[0])
      .join('') ?? '',
)

let stop: (() => void) | undefined
watch(
  inside,
  (is) => {
    stop?.()
    stop = is ? follow(queries) : undefined
  },
  { immediate: true },
)

const help = ref(false)
const singleKeys = useStorage('roundhouse.keys', true)
const keyList = [
  ['/', 'find a number or words'],
  ['n', 'open a case'],
  ['j, k', 'move down and up a list'],
  ['Enter', 'open the selected line'],
  ['?', 'show these keys'],
]
const words = ref('')
const finder = ref<InstanceType<typeof NInput>>()
const nothing = ref('')
async function find() {
  const text = words.value.trim()
  if (!text) return
  nothing.value = ''
  try {
    const hits = await ok(client.GET('/find', { params: { query: { words: text, limit: 3 } } }))
    const exact = hits.items.filter((h) => h.exact)
    if (exact.length !== 1) return void (await router.push({ name: 'find', query: { words: text } }))
    words.value = ''
    await router.push(hitTarget(exact[0]!))
  } catch (e) {
    nothing.value = say(e)
  }
}

async function signOut() {
  await ok(client.POST('/sign-out', { params: { header: { 'Idempotency-Key': newKey() } } })).catch(() => undefined)
  queries.clear()
  signedOut.value = true
}
function signedIn() {
  signedOut.value = false
  void me.refetch().then(() => queries.invalidateQueries())
}

function keys(e: KeyboardEvent) {
  const t = e.target as HTMLElement
  if (
    e.ctrlKey ||
    e.metaKey ||
    e.altKey ||
    /^(INPUT|TEXTAREA|SELECT)$/.test(t.tagName) ||
    t.isContentEditable ||
    document.querySelector('[role=dialog]')
  )
    return
  if (e.key === '/' && singleKeys.value) {
    e.preventDefault()
    finder.value?.focus()
  } else if (e.key === '?') {
    help.value = true
  } else if (!singleKeys.value) {
    return
  } else if (e.key === 'n' && inside.value && may('work')) {
    e.preventDefault()
    void router.push('/open')
  } else if (e.key === 'j' || e.key === 'k') {
    const list = [...document.querySelectorAll<HTMLElement>('[data-walk]')]
    const at = list.indexOf(document.activeElement as HTMLElement)
    list[Math.min(list.length - 1, Math.max(0, at + (e.key === 'j' ? 1 : -1)))]?.focus()
  }
}
const onSignedOut = () => {
  if (me.data.value) signedOut.value = true
}
onMounted(() => {
  window.addEventListener('keydown', keys)
  window.addEventListener('roundhouse:signed-out', onSignedOut)
})
onBeforeUnmount(() => {
  stop?.()
  window.removeEventListener('keydown', keys)
  window.removeEventListener('roundhouse:signed-out', onSignedOut)
})
</script>

<template>
  <NConfigProvider :theme="base" :theme-overrides="overrides" preflight-style-disabled inline-theme-disabled>
    <template v-if="inside">
      <header class="top">
        <RouterLink class="brand" to="/"><BrandMark />Roundhouse</RouterLink>
        <button
          class="pages"
          type="button"
          :aria-expanded="menu"
          aria-controls="rooms"
          data-testid="pages"
          @click="menu = !menu"
        >
          {{ rooms.find((r) => r.name === here)?.label ?? 'Pages' }}
          <span aria-hidden="true">{{ menu ? '▴' : '▾' }}</span>
        </button>
        <nav id="rooms" aria-label="Pages" :class="{ shut: !menu }">
          <RouterLink
            v-for="r in rooms"
            :key="r.name"
            :to="r.to"
            :class="{ on: here === r.name }"
            :aria-current="here === r.name ? 'page' : undefined"
            >{{ r.label }}</RouterLink
          >
        </nav>
        <form class="find" role="search" @submit.prevent="find">
          <NInput
            ref="finder"
            v-model:value="words"
            placeholder="Find a number or words"
            :input-props="attrs({ 'aria-label': 'Find a number or words', 'data-testid': 'find' })"
          >
            <template #suffix><kbd aria-hidden="true">/</kbd></template>
          </NInput>
          <p v-if="nothing" class="problem small" role="alert">{{ nothing }}</p>
        </form>
        <NButton v-if="may('work')" type="primary" data-testid="open-case" @click="router.push('/open')"
          >Open a case <kbd aria-hidden="true" class="onbtn">n</kbd></NButton
        >
        <NotifyBell />
        <span class="sub state" :class="{ shut: !menu && live }" role="status">{{
          live ? '✓ Live' : '… Not updating'
        }}</span>
        <button
          class="linkish"
          :class="{ shut: !menu }"
          type="button"
          data-testid="scheme"
          :title="scheme === 'dark' ? 'Light colours' : 'Dark colours'"
          @click="choose(scheme === 'dark' ? 'light' : 'dark')"
        >
          {{ scheme === 'dark' ? 'Light' : 'Dark' }}
        </button>
        <button
          class="linkish"
          :class="{ shut: !menu }"
          type="button"
          data-testid="sign-out"
          :title="`${me.data.value?.person.name}, ${me.data.value?.person.role}`"
          @click="signOut"
        >
          {{ initials }}, sign out
        </button>
      </header>
      <RehearsalStrip v-if="me.data.value?.rehearsal" v-bind="me.data.value.rehearsal" />
      <DialogFrame v-if="help" name="keys" title="Keys" size="narrow" @leave="help = false">
        <div class="keys">
          <p v-for="[k, what] in keyList" :key="k">
            <kbd>{{ k }}</kbd> {{ what }}
          </p>
          <label class="row"><input v-model="singleKeys" type="checkbox" /> Single keys work outside fields</label>
          <p class="small"><a href="/api" target="_blank" rel="noopener">API for programs</a></p>
          <NButton data-testid="keys-done" @click="help = false">Done</NButton>
        </div>
      </DialogFrame>
      <main>
        <RouterView
          :key="
            String(route.name) +
            String(route.params.key ?? '') +
            String(route.params.kind ?? '') +
            String(route.params.id ?? '')
          "
        />
      </main>
    </template>
    <SignInPage v-else-if="!me.isPending.value || signedOut" :again="signedOut" @done="signedIn" />
  </NConfigProvider>
</template>

<style>
.top {
  display: flex;
  align-items: center;
  gap: 18px;
  min-height: 52px;
  padding: 0 20px;
  background: var(--panel);
  border-bottom: 1px solid var(--line);
  flex-wrap: wrap;
}
.brand {
  display: flex;
  gap: 9px;
  align-items: center;
  font-weight: 650;
  font-size: 16px;
  letter-spacing: 0.01em;
  color: var(--ink);
  text-decoration: none;
}
.top nav {
  display: flex;
  gap: 2px;
}
.top nav a {
  padding: 6px 10px;
  color: var(--ink2);
  text-decoration: none;
}
.top nav a.on {
  color: var(--ink);
  font-weight: 600;
  box-shadow: inset 0 -2px 0 var(--brass);
}
.find {
  margin-left: auto;
  width: 240px;
}
.pages {
  display: none;
  font: inherit;
  font-weight: 600;
  color: var(--ink);
  background: none;
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 4px 10px;
  min-height: 34px;
  cursor: pointer;
}
.keys {
  margin-top: 8px;
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.onbtn {
  margin-left: 8px;
  border-color: currentColor;
  color: inherit;
}
main {
  padding: 18px 20px 24px;
  max-width: 1480px;
  margin: 0 auto;
}
@media (max-width: 640px) {
  .top {
    padding: 8px 12px;
    gap: 8px 12px;
  }
  .top .shut {
    display: none;
  }
  .pages {
    display: block;
    margin-left: auto;
  }
  .top nav {
    order: 2;
    width: 100%;
    flex-wrap: wrap;
  }
  .top nav a {
    padding: 9px 14px 9px 0;
    margin-right: 8px;
  }
  .find {
    order: 3;
    margin: 0;
    flex: 1 1 220px;
    width: auto;
  }
  .top > .n-button {
    order: 4;
  }
  .top .state,
  .top .linkish {
    order: 2;
  }
  .find kbd,
  .onbtn {
    display: none;
  }
  main {
    padding: 12px;
  }
}
</style>
