<script setup lang="ts">
/** One rack: how it is reached, what it reports beside what the list says, and writing to it while it is armed. */
import { computed, ref, shallowRef, watch } from 'vue'
import { ask, api, type Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import type { Operation } from '../../plant/useHardware'
import LoadBar from './LoadBar.vue'
import RackAccess from './RackAccess.vue'
import RackBuild from './RackBuild.vue'
import DenseField from '../../kit/DenseField.vue'

const props = defineProps<{ rack: Schemas['RackIn']; types: Schemas['TypeOut'][]; round?: number }>()
const emit = defineEmits<{ propose: [title: string, operations: Operation[]]; hold: [point: number] }>()
const plant = usePlant()
const compared = shallowRef<Schemas['ComparedOut'] | null>(null)
const written = shallowRef<Schemas['WritesOut'] | null>(null)
const log = shallowRef<Schemas['LogLine'][]>([])
const says = ref('')
const wrong = ref('')
const busy = ref('')
const minutes = ref(15)
const chosen = ref(new Set<string>())
const trust = ref('')
const path = () => ({ params: { path: { rack: props.rack.rack } } })

watch(
  () => props.rack.rack,
  () => {
    compared.value = written.value = null
    log.value = []
    says.value = wrong.value = ''
    trust.value = ''
    void readLog()
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
    if (chosen.value.has(d.key) && d.trips.length) out.set(d.tag, d.trips)
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
  if (!answer) return
  says.value = answer.look ? `${answer.says}. look at: ${answer.look}` : answer.says
  trust.value = answer.trust ?? ''
}

async function compare() {
  written.value = null
  const answer = await run('reading the rack’s settings…', api.GET('/api/racks/{rack}/compare', path()))
  if (!answer) return
  compared.value = answer
  chosen.value = new Set(answer.differences.map((d) => d.key))
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
    api.POST('/api/racks/{rack}/write', { ...path(), body: { keys: [...chosen.value] } }),
  )
  if (!answer) return
  written.value = answer
  if (compared.value) compared.value = { ...compared.value, differences: answer.left }
  chosen.value = new Set(answer.left.map((d) => d.key))
  void readLog()
}

/** What the rack reports becomes what the list says. */
async function adopt() {
  const edits = (compared.value?.differences ?? [])
    .filter((d) => chosen.value.has(d.key))
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

function turn(key: string) {
  const next = new Set(chosen.value)
  if (!next.delete(key)) next.add(key)
  chosen.value = next
}
</script>

<template>
  <section class="panel side">
    <h2>rack {{ rack.name }} <span v-if="rack.stand_in" class="quiet small">stand-in</span></h2>
    <LoadBar v-for="load in rack.loads" :key="load.name" :load="load" />
    <p class="quiet small">{{ Math.round(rack.heat_w * 10) / 10 }} W of heat from its modules</p>
    <p class="keys">
      <v-btn v-if="!rack.by_name" class="act" :disabled="!!busy" @click="compare">
        compare with what the rack reports
      </v-btn>
      <v-btn v-if="plant.may('inject')" class="act" :disabled="!!busy" @click="test">
        test the connection
      </v-btn>
    </p>
    <p v-if="busy" class="quiet" role="status">{{ busy }}</p>
    <p v-if="wrong" class="bad" role="alert">■ {{ wrong }}</p>
    <p v-if="says" role="status">{{ says }}</p>
    <p v-if="trust && plant.may('engineer')" class="small settle">
      ▲ SHA-256 <span class="figure print">{{ trust }}</span>
      <v-btn
        class="act"
        @click="
          emit('propose', 'the rack’s certificate is trusted', [
            { do: 'change', what: 'rack', id: rack.rack, field: 'trusted', was: rack.trusted, text: trust },
          ])
        "
      >
        trust this certificate
      </v-btn>
    </p>

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
          <li v-for="d in compared.differences" :key="d.key">
            <label v-tip="`${d.where}; the list’s choice is written as ${d.code}`">
              <v-checkbox-btn :model-value="chosen.has(d.key)" @update:model-value="turn(d.key)" />
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
      <p>
        {{ written.done }} written{{ written.failed ? `, ${written.failed} not` : ''
        }}{{ written.after.length ? `, then ${written.after.join(', ')}` : '' }}
      </p>
      <p v-if="written.restart" class="settle small">
        ▲ some of it acts only when the module has been switched off and on
      </p>
      <p v-for="r in written.results.filter((x) => !x.done)" :key="r.key" class="bad small">
        ■ {{ r.tag }} {{ r.setting }}: {{ r.says }}
      </p>
    </div>

    <template v-if="plant.may('engineer')">
      <RackAccess
        :key="round"
        :rack="rack"
        @says="says = $event"
        @propose="(title, operations) => emit('propose', title, operations)"
      />
      <RackBuild
        :key="rack.rack"
        :rack="rack"
        :types="types"
        @propose="(title, operations) => emit('propose', title, operations)"
      />
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

.print {
  overflow-wrap: anywhere;
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
