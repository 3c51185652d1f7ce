<script setup lang="ts">
/** The whole cabinet: channels by class against the spare policy, heat, and what can be added. */
import { computed, ref } from 'vue'
import type { Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import type { Operation } from '../../plant/useHardware'
import DenseField from '../../kit/DenseField.vue'

const props = defineProps<{ cabinet: Schemas['CabinetOut'] }>()
const emit = defineEmits<{
  propose: [title: string, operations: Operation[]]
  place: []
  rack: [rack: number]
}>()
const plant = usePlant()
const host = ref('')
const port = ref('')
const simulated = ref(false)
const WORDS: Record<string, string> = {
  AI: 'analog in',
  AO: 'analog out',
  DI: 'discrete in',
  DO: 'discrete out',
  TI: 'temperature',
  PI: 'pulses',
  XI: 'several kinds',
}
const percent = (share: number) => `${Math.round(share * 100)} %`

/** One field of the cabinet itself, as typed. */
function say(field: 'title' | 'ambient_degc', words: string, was: string, event: Event) {
  const text = (event.target as HTMLInputElement).value.trim()
  if (text === was) return
  emit('propose', `${props.cabinet.name}: ${words} ${text || 'as the plant says'}`, [
    { do: 'change', what: 'cabinet', id: props.cabinet.cabinet, field, was, text },
  ])
}
const warm = computed(() => (props.cabinet.ambient_degc === null ? '' : String(props.cabinet.ambient_degc)))

function addRack() {
  const operation: Operation = { do: 'add rack', cabinet: props.cabinet.cabinet, stand_in: simulated.value }
  if (host.value) operation.host = host.value
  if (port.value) operation.port = port.value
  emit('propose', `a rack into ${props.cabinet.name}`, [operation])
}
</script>

<template>
  <section class="panel side">
    <h2>
      <span class="figure">{{ cabinet.name }}</span> {{ cabinet.title }}
    </h2>
    <table>
      <thead>
        <tr>
          <th></th>
          <th>all</th>
          <th>used</th>
          <th>free</th>
          <th>spare</th>
          <th>wired</th>
          <th>unused</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="c in cabinet.classes" :key="c.name" :class="{ settle: c.count.short }">
          <th>{{ WORDS[c.name] ?? c.name }}</th>
          <td>{{ c.count.channels }}</td>
          <td>{{ c.count.used }}</td>
          <td>{{ c.count.free }}</td>
          <td>{{ c.count.spare }}</td>
          <td>{{ c.count.wired }}</td>
          <td>{{ c.count.short ? '▲ ' : '' }}{{ percent(c.count.share) }}</td>
        </tr>
        <tr class="sum" :class="{ settle: cabinet.count.short }">
          <th>together</th>
          <td>{{ cabinet.count.channels }}</td>
          <td>{{ cabinet.count.used }}</td>
          <td>{{ cabinet.count.free }}</td>
          <td>{{ cabinet.count.spare }}</td>
          <td>{{ cabinet.count.wired }}</td>
          <td>{{ cabinet.count.short ? '▲ ' : '' }}{{ percent(cabinet.count.share) }}</td>
        </tr>
      </tbody>
    </table>
    <p class="quiet small">
      the plant keeps {{ percent(cabinet.spare_wanted) }} unused. free is anybody’s; spare is held by that
      policy; wired is landed on the strip as well.
    </p>
    <p class="quiet small">{{ Math.round(cabinet.heat_w) }} W of heat from modules and supplies</p>
    <template v-if="plant.may('engineer')">
      <label class="field small"
        >what it serves
        <DenseField
          class="setting"
          :model-value="cabinet.title"
          @change="say('title', 'it serves', cabinet.title, $event)"
      /></label>
      <label class="field small"
        >inside, °C
        <DenseField
          class="figure setting"
          :model-value="warm"
          placeholder="as the plant says"
          @change="say('ambient_degc', 'inside, °C:', warm, $event)"
      /></label>
    </template>
    <p v-else-if="warm" class="small">{{ warm }} °C inside</p>
    <p class="keys racks">
      <v-btn v-for="r in cabinet.racks" :key="r.rack" class="chip" @click="emit('rack', r.rack)">
        rack {{ r.name }}
      </v-btn>
    </p>
    <p class="keys">
      <v-btn v-if="plant.may('edit')" class="act" @click="emit('place')">
        propose places for what waits
      </v-btn>
    </p>
    <template v-if="plant.may('engineer')">
      <h3>another rack</h3>
      <label class="field small"
        >network address <DenseField v-model="host" class="figure setting" placeholder="by the rule"
      /></label>
      <label class="field small"
        >port
        <DenseField v-model="port" class="figure setting" :placeholder="simulated ? 'the next one' : '502'"
      /></label>
      <v-checkbox v-model="simulated" class="small" label="a stand-in on this machine" />
      <p class="keys"><v-btn class="act" @click="addRack">add a rack</v-btn></p>
    </template>
  </section>
</template>

<style scoped>
.racks {
  margin-top: 8px;
}

table {
  width: 100%;
  margin-bottom: 6px;
  font-size: 11px;
  border-collapse: collapse;
}

td {
  font-family: var(--mono);
  text-align: right;
}

th,
td {
  padding-left: 3px;
}

th {
  color: rgb(var(--v-theme-quiet));
  font-weight: 400;
  text-align: right;
}

tbody th {
  text-align: left;
}

.sum td,
.sum th {
  border-top: 1px solid rgb(var(--v-theme-duct));
}

.settle,
.settle th {
  color: rgb(var(--v-theme-settle));
}
</style>
