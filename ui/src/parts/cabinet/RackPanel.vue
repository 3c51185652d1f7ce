<script setup lang="ts">
/** One rack: how it is reached, what stands in it, and what was written there. What it runs beside the list has a page of its own. */
import { ref, shallowRef, watch } from 'vue'
import { ask, api, type Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import type { Operation } from '../../plant/useHardware'
import LoadBar from './LoadBar.vue'
import RackAccess from './RackAccess.vue'
import RackBuild from './RackBuild.vue'

const props = defineProps<{ rack: Schemas['RackIn']; types: Schemas['TypeOut'][]; round?: number }>()
const emit = defineEmits<{ propose: [title: string, operations: Operation[]]; hold: [point: number] }>()
const plant = usePlant()
const log = shallowRef<Schemas['LogLine'][]>([])
const says = ref('')
const wrong = ref('')
const busy = ref('')
const trust = ref('')
const path = () => ({ params: { path: { rack: props.rack.rack } } })

watch(
  () => props.rack.rack,
  () => {
    log.value = []
    says.value = wrong.value = ''
    trust.value = ''
    void readLog()
  },
  { immediate: true },
)
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

async function become() {
  const answer = await run('building the stand-in anew…', api.POST('/api/racks/{rack}/stand-in', path()))
  if (answer) says.value = answer.says
}

async function readLog() {
  const answer = await ask(api.GET('/api/racks/{rack}/log', path()))
  log.value = answer.data?.lines ?? []
}
</script>

<template>
  <section class="panel side">
    <h2>rack {{ rack.name }} <span v-if="rack.stand_in" class="quiet small">stand-in</span></h2>
    <LoadBar v-for="load in rack.loads" :key="load.name" :load="load" />
    <p class="quiet small">{{ Math.round(rack.heat_w * 10) / 10 }} W of heat from its modules</p>
    <p class="keys">
      <v-btn class="act" :to="`/running?rack=${rack.rack}`">what it runs beside the list</v-btn>
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
.print {
  overflow-wrap: anywhere;
}
</style>
