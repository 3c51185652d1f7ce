<script setup lang="ts">
/** A loop to learn on: break the wire, swap the leads, lower the supply, and watch every station and the alarm. */
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { ask, api, said, type Schemas } from '../api/client'
import { useEscape } from '../plant/escape'
import DenseField from '../kit/DenseField.vue'

const LOOPS = ['gas pressure', 'kiln thermocouple', 'dryer Pt100'] as const
const loop = ref<(typeof LOOPS)[number]>('gas pressure')
const share = ref(50)
const put = ref<{ kind: string; amount: string }[]>([])
const out = shallowRef<Schemas['LearnOut'] | null>(null)
const keep = ref<Schemas['AlarmState']>({ state: [0, 0], active: [false, false] })
const wrong = ref('')
const open = ref('')
useEscape(() => open.value, () => (open.value = '')) // prettier-ignore
const WHERE: Record<string, string> = {
  PROCESS: 'in the pipe',
  DEVICE: 'the device',
  LOOP: 'the wires',
  INPUT: 'the module',
  COUNTS: 'the controller',
  VALUE: 'the people',
}
const ALARM_SIGN = ['·', '■', '□', '◪', '◧', '◨', '▽', '▿', '✕']
let asked = 0

async function step(word: '' | 'acknowledge' | 'reset' = '') {
  const turn = ++asked
  const answer = await ask(
    api.POST('/api/learn', {
      body: { loop: loop.value, share: share.value, faults: put.value, alarms: keep.value, word },
    }),
  )
  if (turn !== asked) return
  wrong.value = answer.problem ? said(answer.problem) : ''
  if (!answer.data) return
  out.value = answer.data
  keep.value = answer.data.keep
}

const offers = computed(() => out.value?.offers ?? [])
const isPut = (name: string) => put.value.some((f) => f.kind === name)
function toggle(offer: Schemas['LearnFault']) {
  put.value = isPut(offer.name)
    ? put.value.filter((f) => f.kind !== offer.name)
    : [...put.value, { kind: offer.name, amount: offer.amount ? offer.usual : '' }]
}
const amountOf = (name: string) => put.value.find((f) => f.kind === name)?.amount ?? ''
function setAmount(name: string, amount: string) {
  put.value = put.value.map((f) => (f.kind === name ? { kind: name, amount } : f))
}
function healthy() {
  put.value = []
  share.value = 50
  keep.value = { state: [0, 0], active: [false, false] }
}

watch(loop, () => ((put.value = []), (keep.value = { state: [0, 0], active: [false, false] }), void step()))
watch([share, put], () => void step(), { deep: true })
onMounted(() => void step())
</script>

<template>
  <section class="learn">
    <div class="work">
      <div class="keys">
        <span class="quiet">nothing here touches the plant</span>
        <v-btn v-for="l in LOOPS" :key="l" class="chip" :class="{ on: loop === l }" @click="loop = l">
          {{ l }}
        </v-btn>
        <span class="gap" />
        <v-btn class="chip" @click="healthy">all well again</v-btn>
      </div>
      <p v-if="wrong" class="bad">■ {{ wrong }}</p>
      <template v-if="out">
        <div class="comb" aria-hidden="true"></div>
        <div class="stations">
          <section
            v-for="s in out.stations"
            :key="s.name"
            class="panel station"
            :class="{ differs: s.differs }"
          >
            <span class="drop" :class="{ off: s.differs }" aria-hidden="true"></span>
            <h3>{{ s.name }}</h3>
            <p class="where quiet small">{{ WHERE[s.name] }}</p>
            <p class="now figure">
              {{ s.figure }} <span class="unit">{{ s.unit }}</span>
            </p>
            <p class="small" :class="s.differs ? 'settle' : 'quiet'">
              {{ s.differs ? `▲ healthy: ${s.healthy}` : 'as it should be' }}
            </p>
            <v-btn v-if="s.formula" class="mini" @click="open = open === s.name ? '' : s.name">
              working
            </v-btn>
            <p v-if="open === s.name" class="small figure working">{{ s.formula }}<br />{{ s.figures }}</p>
            <div class="faults">
              <template v-for="o in offers.filter((x) => x.station === s.name)" :key="o.name">
                <v-btn
                  v-tip="o.name"
                  class="chip"
                  :class="{ apart: isPut(o.name), on: isPut(o.name) }"
                  @click="toggle(o)"
                >
                  {{ isPut(o.name) ? '◇ ' : '' }}{{ o.says }}
                </v-btn>
                <DenseField
                  v-if="isPut(o.name) && o.amount"
                  class="figure"
                  :model-value="amountOf(o.name)"
                  :aria-label="`${o.name}: ${o.amount}`"
                  :placeholder="o.amount"
                  @change="setAmount(o.name, ($event.target as HTMLInputElement).value)"
                />
              </template>
            </div>
            <v-slider
              v-if="s.name === 'PROCESS'"
              v-model="share"
              :min="0"
              :max="110"
              :step="1"
              aria-label="quantity, % of the range"
            />
          </section>
        </div>
        <div class="below">
          <section class="panel told">
            <h2>what the value is worth: {{ out.quality }}</h2>
            <p v-for="f in out.faults" :key="f" :class="out.quality === 'bad' ? 'bad' : 'settle'">
              {{ out.quality === 'bad' ? '■' : '▲' }} {{ f }}
            </p>
            <p v-if="out.causes.length" class="small">likely: {{ out.causes.join('; or ') }}</p>
            <p v-if="out.next" class="small"><b>next:</b> {{ out.next }}</p>
            <p v-if="!out.faults.length && out.stations.some((s) => s.differs)" class="settle">
              ▲ the module sees nothing wrong, and the value is not that of the pipe
            </p>
            <p v-else-if="!out.faults.length" class="quiet">nothing is wrong</p>
          </section>
          <section class="panel told">
            <h2>alarms</h2>
            <p v-for="a in out.alarms" :key="a.name" :class="{ bad: a.number > 0 && a.number < 6 }">
              <span aria-hidden="true">{{ ALARM_SIGN[a.number] }}</span> {{ a.name }}: {{ a.state }}
              <span v-if="a.name === 'high'" class="quiet">limit {{ out.limit }}</span>
            </p>
            <v-btn
              class="act"
              :disabled="!out.alarms.some((a) => /unacknowledged/.test(a.state))"
              @click="step('acknowledge')"
            >
              acknowledge
            </v-btn>
          </section>
        </div>
      </template>
    </div>
  </section>
</template>

<style scoped>
.learn {
  display: grid;
  grid-template-rows: minmax(0, 1fr);
  height: 100%;
}

.work {
  overflow: auto;
  padding: 10px 14px;
}

.gap {
  flex: 1;
}

.comb {
  margin-top: 10px;
}

.stations {
  display: grid;
  grid-template-columns: repeat(6, minmax(0, 1fr));
  gap: 10px;
}

.station {
  position: relative;
  min-height: 330px;
  margin-top: 24px;
  padding: 8px 10px;
}

.station.differs {
  border: 1px dashed rgb(var(--v-theme-apart));
}

.drop {
  position: absolute;
  bottom: 100%;
  left: 50%;
  width: 3px;
  height: 24px;
  background: rgb(var(--v-theme-copper));
}

.drop.off {
  background: repeating-linear-gradient(180deg, rgb(var(--v-theme-apart)) 0 4px, transparent 4px 7px);
}

h3 {
  margin: 0;
  font-size: 12px;
}

h2 {
  margin: 0 0 6px;
  font-size: 14px;
}

p {
  margin: 0 0 4px;
}

.now {
  font-size: 26px;
  white-space: nowrap;
}

.unit {
  color: rgb(var(--v-theme-quiet));
  font-size: 12px;
}

.working {
  overflow-wrap: anywhere;
}

.settle {
  color: rgb(var(--v-theme-settle));
}

.bad {
  color: rgb(var(--v-theme-bad));
}

.faults {
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  gap: 5px;
  margin-top: 8px;
}

.faults .chip {
  max-width: 100%;
  line-height: 17px;
  text-align: left;
  white-space: normal;
}

.faults input {
  width: 90%;
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-apart));
  background: none;
  color: inherit;
  font: inherit;
}

input[type='range'] {
  width: 100%;
  margin-top: 10px;
  accent-color: rgb(var(--v-theme-copper));
}

.below {
  display: grid;
  grid-template-columns: 2fr 1fr;
  gap: 10px;
  margin-top: 10px;
}

.told {
  padding: 10px 12px;
}

@media (max-width: 900px) {
  .stations {
    grid-template-columns: repeat(2, minmax(0, 1fr));
  }

  .station {
    min-height: 0;
    margin-top: 10px;
  }

  .drop {
    display: none;
  }

  .below {
    grid-template-columns: 1fr;
  }
}
</style>
