<script setup lang="ts">
/** Alarms that come and go, and those that stand for long: what a limit or a delay would calm. */
import { onMounted, shallowRef } from 'vue'
import { ask, api, type Schemas } from '../../api/client'
import { useAlarmWords } from '../../plant/alarmWords'
import { alarmName } from '../../plant/alarms'
import { usePlant } from '../../plant/store'

const { tagOf, wayTo } = useAlarmWords(usePlant())
const habits = shallowRef<Schemas['AlarmsOut'] | null>(null)
onMounted(async () => (habits.value = (await ask(api.GET('/api/alarms'))).data ?? null))
</script>

<template>
  <template v-if="habits">
    <h2>chattering</h2>
    <p v-if="!habits.chattering.length" class="quiet">no alarm came and went again and again lately</p>
    <p v-for="c in habits.chattering" :key="`${c.point}:${c.kind}`">
      ▲ <router-link class="figure tag" :to="wayTo(c)">{{ tagOf(c) }}</router-link> {{ alarmName(c) }}:
      {{ c.times }} times within a minute · a deadband or a delay would calm it
    </p>
    <h2>standing</h2>
    <p v-if="!habits.standing.length" class="quiet">no alarm has stood for long</p>
    <p v-for="c in habits.standing" :key="`${c.point}:${c.kind}`">
      ▲ <router-link class="figure tag" :to="wayTo(c)">{{ tagOf(c) }}</router-link> {{ alarmName(c) }}:
      {{ c.hours }} h · settle its cause, or its limit
    </p>
  </template>
</template>

<style scoped src="./alarmTable.css"></style>

<style scoped>
h2 {
  margin: 14px 0 4px;
  font-size: 14px;
}
</style>
