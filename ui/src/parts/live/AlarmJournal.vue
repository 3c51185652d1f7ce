<script setup lang="ts">
/** The journal of alarms: what passed, newest first, a page at a time. */
import { onMounted, ref, shallowRef, watch } from 'vue'
import { ask, api, type Schemas } from '../../api/client'
import { useAlarmWords } from '../../plant/alarmWords'
import { alarmName, rackOf } from '../../plant/alarms'
import { usePlant } from '../../plant/store'
import { age, clock } from '../../plant/words'

const plant = usePlant()
const { tagOf, value, wayTo } = useAlarmWords(plant)
const lines = shallowRef<Schemas['JournalLineOut'][] | null>(null)
const more = ref(false)

async function read(before = 0) {
  const answer = await ask(api.GET('/api/journal', { params: { query: { before, point: 0 } } }))
  if (!answer.data) return
  lines.value = before ? [...(lines.value ?? []), ...answer.data.lines] : answer.data.lines
  more.value = answer.data.more
}

onMounted(read)
watch(() => plant.alarms, () => void read()) // prettier-ignore
</script>

<template>
  <table v-if="lines?.length" class="ledger">
    <thead>
      <tr>
        <th>when</th>
        <th>point</th>
        <th>alarm</th>
        <th>what</th>
        <th>from</th>
        <th>to</th>
        <th class="right">at</th>
        <th>who and why</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="l in lines" :key="l.id">
        <td class="figure">{{ clock(l.at) }}</td>
        <td>
          <router-link class="tag" :class="{ figure: !rackOf(l) }" :to="wayTo(l)">{{
            tagOf(l) || 'gone'
          }}</router-link>
        </td>
        <td>{{ l.event === 'gap' ? 'not watched' : alarmName(l) }}</td>
        <td>{{ l.event }}</td>
        <td class="quiet">{{ l.was }}</td>
        <td>{{ l.becomes }}</td>
        <td class="figure right">{{ l.event === 'gap' ? `for ${age(l.value ?? 0)}` : value(l) }}</td>
        <td>{{ [l.who, l.why].filter(Boolean).join(': ') }}</td>
      </tr>
    </tbody>
  </table>
  <p v-else-if="lines" class="empty">nothing has passed yet</p>
  <v-btn v-if="more" class="act" @click="read(lines!.at(-1)!.id)">older</v-btn>
</template>

<style scoped src="./alarmTable.css"></style>
