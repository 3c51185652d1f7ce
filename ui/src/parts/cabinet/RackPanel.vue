<script setup lang="ts">
/** One rack: how it is reached, what it reports beside what the list says, and writing to it while it is armed. */
import { computed, ref, shallowRef, watch } from 'vue'
import { ask, api, type Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import type { Operation } from '../../plant/useHardware'
import LoadBar from './LoadBar.vue'
import DenseField from '../../kit/DenseField.vue'
import ChoiceField from '../../kit/ChoiceField.vue'

const props = defineProps<{ rack: Schemas['RackIn']; types: Schemas['TypeOut'][] }>()
const emit = defineEmits<{ propose: [title: string, operations: Operation[]]; hold: [point: number] }>()
const plant = usePlant()
const compared = shallowRef<Schemas['ComparedOut'] | null>(null)
const written = shallowRef<Schemas['WritesOut'] | null>(null)
const log = shallowRef<Schemas['LogLine'][]>([])
const says = ref('')
const wrong = ref('')
const busy = ref('')
const minutes = ref(15)
const chosen = ref(new Set<number>())
const added = ref('')
const FIELDS = [
  ['name', 'name'],
  ['host', 'network address'],
  ['port', 'port'],
  ['unit', 'unit number'],
  ['period_ms', 'period, ms'],
  ['first_register', 'first register'],
  ['function', 'registers'],
  ['line', 'bits a second, bits, parity, stop'],
] as const
const LINKS = ['Modbus TCP', 'Modbus RTU over TCP', 'Modbus ASCII over TCP', 'Modbus RTU', 'Modbus ASCII']
const onPort = (link: string) => !link.includes('TCP')
/** The way that was chosen; another kind of way wants another kind of address before it can be proposed. */
const link = ref('')
const fields = computed(() =>
  FIELDS.filter(([field]) => (onPort(link.value) ? field !== 'port' : field !== 'line')).map(
    ([field, label]) => [field, field === 'host' && onPort(link.value) ? 'serial port' : label] as const,
  ),
)
const wantsHost = computed(() => onPort(link.value) !== onPort(props.rack.link))
const texts = ref<Record<string, string>>({})

const path = () => ({ params: { path: { rack: props.rack.rack } } })

watch(
  () => props.rack.rack,
  () => {
    compared.value = written.value = null
    log.value = []
    says.value = wrong.value = ''
    void readLog()
  },
  { immediate: true },
)
watch(
  () => props.rack,
  (rack) => {
    texts.value = Object.fromEntries(FIELDS.map(([f]) => [f, String(rack[f])]))
    link.value = rack.link
  },
  { immediate: true },
)
const armed = computed(() => compared.value?.armed)
const left = computed(() =>
  armed.value?.until ? Math.max(1, Math.round((Date.parse(armed.value.until) - Date.now()) / 60000)) : 0,
)
const trips = computed(() => {
  const out = new Map<string, string[]>()
  for (const d of compared.value?.differences ?? [])
    if (chosen.value.has(d.holding) && d.trips.length) out.set(d.tag, d.trips)
  return [...out]
})

async function run<T>(what: string, request: Promise<{ data?: T; error?: unknown }>): Promise<T | undefined> {
  busy.value = what
  wrong.value = ''
  const answer = await ask(request)
  busy.value = ''
  if (answer.problem) wrong.value = [answer.problem.title, answer.problem.remedy].filter(Boolean).join(' · ')
  return answer.data as T | undefined
}

async function test() {
  const answer = await run('asking the rack…', api.POST('/api/racks/{rack}/test', path()))
  if (answer) says.value = answer.look ? `${answer.says}. look at: ${answer.look}` : answer.says
}

async function compare() {
  written.value = null
  const answer = await run('reading the rack’s settings…', api.GET('/api/racks/{rack}/compare', path()))
  if (!answer) return
  compared.value = answer
  chosen.value = new Set(answer.differences.map((d) => d.holding))
}

async function arm(for_minutes: number) {
  const answer = await run(
    'arming…',
    api.PUT('/api/racks/{rack}/armed', { ...path(), body: { minutes: for_minutes } }),
  )
  if (answer && compared.value) compared.value = { ...compared.value, armed: answer }
}

async function write() {
  const answer = await run(
    'writing, channel by channel…',
    api.POST('/api/racks/{rack}/write', { ...path(), body: { registers: [...chosen.value] } }),
  )
  if (!answer) return
  written.value = answer
  if (compared.value) compared.value = { ...compared.value, differences: answer.left }
  chosen.value = new Set(answer.left.map((d) => d.holding))
  void readLog()
}

/** What the rack reports becomes what the list says. */
async function adopt() {
  const edits = (compared.value?.differences ?? [])
    .filter((d) => chosen.value.has(d.holding))
    .map((d) => ({ point: d.point, field: d.field, was: plant.list.text(d.field, plant.list.row(d.point) ?? -1), text: d.reported })) // prettier-ignore
  await plant.save(edits, 'adopted from the rack')
  await compare()
}

async function become() {
  const answer = await run('building the stand-in anew…', api.POST('/api/racks/{rack}/stand-in', path()))
  if (answer) says.value = answer.says
}

async function readLog() {
  const answer = await ask(api.GET('/api/racks/{rack}/log', path()))
  log.value = answer.data?.lines ?? []
}

function relink(chosen: string) {
  link.value = chosen
  if (wantsHost.value) texts.value.host = onPort(chosen) ? '/dev/ttyUSB0' : ''
  else if (chosen !== props.rack.link) proposeLink()
}

function proposeLink() {
  const was = props.rack.link
  const host = wantsHost.value ? (texts.value.host ?? '') : ''
  emit('propose', `${was} → ${link.value}${host ? `, ${host}` : ''}`, [
    { do: 'change', what: 'rack', id: props.rack.rack, field: 'link', was, text: link.value, host },
  ])
}

function change(field: (typeof FIELDS)[number][0], label: string) {
  if (field === 'host' && wantsHost.value) return proposeLink()
  const was = String(props.rack[field])
  const text = texts.value[field] ?? ''
  if (text.trim() !== was)
    emit('propose', `${label}: ${was} → ${text}`, [
      { do: 'change', what: 'rack', id: props.rack.rack, field, was, text },
    ])
}

function turn(register: number) {
  const next = new Set(chosen.value)
  if (!next.delete(register)) next.add(register)
  chosen.value = next
}
</script>

<template>
  <section class="panel side">
    <h2>rack {{ rack.name }} <span v-if="rack.stand_in" class="quiet small">stand-in</span></h2>
    <LoadBar v-for="load in rack.loads" :key="load.name" :load="load" />
    <p class="quiet small">{{ Math.round(rack.heat_w * 10) / 10 }} W of heat from its modules</p>
    <p class="keys">
      <v-btn class="act" :disabled="!!busy" @click="compare"> compare with what the rack reports </v-btn>
      <v-btn v-if="plant.may('inject')" class="act" :disabled="!!busy" @click="test">
        test the connection
      </v-btn>
    </p>
    <p v-if="busy" class="quiet" role="status">{{ busy }}</p>
    <p v-if="wrong" class="bad" role="alert">■ {{ wrong }}</p>
    <p v-if="says" role="status">{{ says }}</p>

    <template v-if="compared">
      <p v-if="compared.says" class="bad">■ {{ compared.says }}</p>
      <p v-if="!compared.says && !compared.differences.length" role="status">
        list and rack agree in every setting
      </p>
      <template v-if="compared.differences.length">
        <h3>
          {{
            compared.differences.length === 1
              ? 'one setting differs'
              : `${compared.differences.length} settings differ`
          }}
        </h3>
        <ul>
          <li v-for="d in compared.differences" :key="d.holding">
            <label v-tip="`holding register ${d.holding} from 0; the list’s choice is written as ${d.code}`">
              <v-checkbox-btn :model-value="chosen.has(d.holding)" @update:model-value="turn(d.holding)" />
              <span class="figure">{{ d.tag }}</span> {{ d.setting }}: list <b>{{ d.listed }}</b>, rack
              <b>{{ d.reported }}</b>
              <span class="quiet small"> {{ d.address }}</span>
            </label>
          </li>
        </ul>
        <div v-if="trips.length" class="trips">
          <h3>▲ what these points can trip</h3>
          <p v-for="[tag, words] in trips" :key="tag" class="small">
            <span class="figure">{{ tag }}</span> {{ words.join('; ') }}
          </p>
        </div>
        <p class="keys">
          <v-btn
            v-if="plant.may('inject')"
            class="act main"
            :disabled="!armed?.who || !chosen.size || !!busy"
            @click="write"
          >
            write {{ chosen.size }} to the rack
          </v-btn>
          <v-btn v-if="plant.may('edit')" class="act" :disabled="!chosen.size || !!busy" @click="adopt">
            adopt the rack’s
          </v-btn>
        </p>
      </template>
      <p v-if="armed?.who" class="armed">
        armed by {{ armed.who }}, {{ left }} min left
        <v-btn v-if="plant.may('engineer')" class="act" @click="arm(0)">disarm</v-btn>
      </p>
      <p v-else class="small">
        writing is off.
        <template v-if="plant.may('engineer')">
          arm it for
          <DenseField v-model.number="minutes" type="number" min="1" max="60" aria-label="minutes" /> min
          <v-btn class="act" @click="arm(minutes)">arm</v-btn>
        </template>
        <template v-else> an engineer arms it.</template>
      </p>
    </template>
    <div v-if="written" role="status">
      <p>{{ written.done }} written{{ written.failed ? `, ${written.failed} not` : '' }}</p>
      <p v-for="r in written.results.filter((x) => !x.done)" :key="r.holding" class="bad small">
        ■ {{ r.tag }} {{ r.setting }}: {{ r.says }}
      </p>
    </div>

    <template v-if="plant.may('engineer')">
      <!-- A stand-in answers Modbus TCP alone. -->
      <label v-if="!rack.stand_in" class="field small"
        >reached by
        <ChoiceField :model-value="link" :items="LINKS" aria-label="reached by" @update:model-value="relink"
      /></label>
      <p v-if="wantsHost" class="small settle">
        ▲ {{ onPort(link) ? 'which port of this machine is it on?' : 'at which network address is it?' }}
        <v-btn class="act" :disabled="!texts.host?.trim()" @click="proposeLink">
          {{ texts.host?.trim() ? `reach it at ${texts.host}` : 'type it below' }}
        </v-btn>
      </p>
      <label v-for="[field, label] in fields" :key="field" class="field small"
        >{{ label }}
        <DenseField v-model="texts[field]" class="figure setting" @change="change(field, label)" />
      </label>
      <label class="field small"
        >add a module
        <ChoiceField
          v-model="added"
          :items="[
            { value: '', title: '…' },
            ...types.map((t) => ({ value: t.key, title: `${t.title}: ${t.summary}` })),
          ]"
          @update:model-value="
            emit('propose', 'a module into the rack', [{ do: 'add module', rack: rack.rack, type: added }])
          "
      /></label>
      <p class="keys">
        <v-btn v-if="rack.stand_in" class="act" :disabled="!!busy" @click="become">
          make the stand-ins like the list
        </v-btn>
        <v-btn
          class="act"
          @click="emit('propose', `rack ${rack.name} goes out`, [{ do: 'remove rack', rack: rack.rack }])"
        >
          take the rack out
        </v-btn>
      </p>
    </template>
    <details v-if="log.length">
      <summary class="small">what was written and put on, newest first</summary>
      <p v-for="line in log" :key="line.at" class="small">
        {{ new Date(line.at).toLocaleString() }} · {{ line.who }} · {{ line.kind }} {{ line.what }}:
        {{ line.result }}
      </p>
    </details>
  </section>
</template>

<style scoped>
li .small {
  margin-left: 6px;
}

ul {
  max-height: 210px;
  margin: 0 0 6px;
  padding: 0;
  overflow: auto;
  list-style: none;
  font-size: 12px;
}

input[type='number'] {
  width: 52px;
}

select {
  min-width: 0;
}

.trips {
  margin-bottom: 8px;
  padding: 4px 8px;
  border: 1px solid rgb(var(--v-theme-settle));
  background: rgb(var(--v-theme-settle-wash));
}

.armed {
  padding: 4px 8px;
  border: 1px dashed rgb(var(--v-theme-apart));
  color: rgb(var(--v-theme-apart));
  background: rgb(var(--v-theme-apart-wash));
}
</style>
