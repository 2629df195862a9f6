<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { ref } from 'vue'
import { client, newKey, ok, words } from '../shared/api'
import BrandMark from '../app/BrandMark.vue'
import { attrs } from '../shared/attrs'

defineProps<{ again: boolean }>()
const emit = defineEmits<{ done: [] }>()
const email = ref(localStorage.getItem('roundhouse.email') ?? '')
const password = ref('')
const problem = ref('')
const busy = ref(false)

async function go() {
  busy.value = true
  problem.value = ''
  try {
    await ok(
      client.POST('/sign-in', {
        params: { header: { 'Idempotency-Key': newKey() } },
        body: { email: email.value.trim(), password: password.value },
      }),
    )
    localStorage.setItem('roundhouse.email', email.value.trim())
    emit('done')
  } catch (e) {
    problem.value = words(e)
  } finally {
    busy.value = false
    password.value = ''
  }
}
</script>

<template>
  <main class="gate">
    <form class="panel" @submit.prevent="go">
      <h1 class="row"><BrandMark />Roundhouse</h1>
      <p class="sub">One desk for every support case you have open.</p>
      <p v-if="again" class="sub just-below">You are signed out. What you were writing is kept in this browser.</p>
      <label for="email">Email address</label>
      <NInput
        v-model:value="email"
        :input-props="attrs({ id: 'email', type: 'email', autocomplete: 'username', 'data-testid': 'email' })"
        placeholder=""
      />
      <label for="password">Password</label>
      <NInput
        v-model:value="password"
        type="password"
        :input-props="attrs({ id: 'password', autocomplete: 'current-password', 'data-testid': 'password' })"
        placeholder=""
      />
      <p v-if="problem" class="problem" role="alert" data-testid="sign-in-problem">{{ problem }}</p>
      <NButton type="primary" attr-type="submit" :loading="busy" :disabled="!email || !password" data-testid="sign-in"
        >Sign in</NButton
      >
    </form>
  </main>
</template>

<style scoped>
.gate {
  min-height: 100vh;
  display: grid;
  place-items: center;
  padding: 16px;
}
form {
  width: 360px;
  max-width: 100%;
  padding: 26px 28px 28px;
  display: flex;
  flex-direction: column;
}
label {
  margin: 14px 0 4px;
}
.problem {
  margin-top: 14px;
}
button {
  margin-top: 18px;
}
</style>
