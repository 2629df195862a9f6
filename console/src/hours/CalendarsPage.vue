<script setup lang="ts">
import { NButton } from 'naive-ui'
import { useRouter } from 'vue-router'
import { words as say, type Schemas } from '../shared/api'
import { useMe } from '../shared/queries'
import { weekWords } from '../shared/words'
import { useCalendars } from './queries'
import RegisterHead from '../register/RegisterHead.vue'

const { data, error } = useCalendars()
const me = useMe()
const router = useRouter()
const hours = (d: Schemas['HoursDefinition']) => (d.always ? 'round the clock' : weekWords(d.week).join(', '))
</script>

<template>
  <RegisterHead at="calendars">
    <NButton
      class="right"
      v-if="me.data.value?.may.includes('vendors')"
      data-testid="add"
      @click="router.push('/register/calendars/new')"
      >Add a calendar</NButton
    >
  </RegisterHead>
  <p v-if="error" class="problem" role="alert">{{ say(error) }}</p>
  <div v-if="data" class="panel wide">
    <table class="list">
      <thead>
        <tr class="small">
          <th scope="col">Calendar</th>
          <th scope="col">Zone</th>
          <th scope="col">Hours</th>
          <th scope="col">Versions</th>
          <th scope="col">Running clocks</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="c in data.items" :key="c.id" data-testid="calendar-row">
          <td class="cut">
            <RouterLink data-walk :to="`/register/calendars/${c.id}`"
              ><b>{{ c.name }}</b></RouterLink
            >{{ ' ' }}
            <span class="sub">{{ c.vendor }}</span>
          </td>
          <td>{{ c.versions.at(-1)!.definition.zone ?? 'UTC' }}</td>
          <td class="cut tn" :title="hours(c.versions.at(-1)!.definition)">
            {{ hours(c.versions.at(-1)!.definition) }}
          </td>
          <td class="tn">{{ c.versions.length }}</td>
          <td class="tn">{{ c.running_clocks || '' }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
table {
  min-width: 820px;
}
th:nth-child(2) {
  width: 150px;
}
th:nth-child(3) {
  width: 46%;
}
th:nth-child(4) {
  width: 80px;
}
th:nth-child(5) {
  width: 140px;
}
</style>
