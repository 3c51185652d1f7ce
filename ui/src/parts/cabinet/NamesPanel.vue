<script setup lang="ts">
/** What a module's channels are called at a rack that is reached by name: typed, or picked from what the rack has. */
import { computed, ref, shallowRef, watch } from 'vue'
import { api, ask, said, type Schemas } from '../../api/client'
import type { Operation } from '../../plant/useHardware'
import { numbered } from './names'
import DenseField from '../../kit/DenseField.vue'

const props = defineProps<{ module: Schemas['ModuleOut']; rack: number; link: string; mayChange: boolean }>()
const emit = defineEmits<{ propose: [title: string, operations: Operation[]] }>()
const names = ref<string[]>([])
const at = ref(0)
const inARow = ref(true)
const trail = ref<{ name: string; title: string }[]>([])
const found = shallowRef<Schemas['NameOut'][] | null>(null)
const sought = ref('')
const wrong = ref('')
const busy = ref(false)
const MOST = 200

const kept = computed(() => props.module.channels.map((c) => c.name))
/** What is typed outlives a look at the cabinet; what somebody else kept meanwhile comes in where nothing is typed. */
watch(
  () => [props.module.module, ...kept.value].join('\n'),
  (_, before) => {
    const was = before?.split('\n') ?? []
    const same = was[0] === String(props.module.module)
    names.value = kept.value.map((name, i) => {
      const typed = names.value[i]?.trim() ?? ''
      return same && typed !== was[i + 1] ? typed : name
    })
  },
  { immediate: true },
)
watch(
  () => props.module.module,
  () => {
    found.value = null
    at.value = 0
    trail.value = []
  },
)
const changed = computed(() => names.value.some((name, i) => name.trim() !== kept.value[i]))
const shown = computed(() => {
  const seek = sought.value.trim().toLowerCase()
  return (found.value ?? []).filter((one) => !seek || `${one.title} ${one.name}`.toLowerCase().includes(seek))
})
const nobodys = (one: Schemas['NameOut']) => !one.held && !names.value.includes(one.name)

async function look(below = '') {
  busy.value = true
  wrong.value = ''
  const answer = await ask(
    api.POST('/api/racks/{rack}/browse', { params: { path: { rack: props.rack } }, body: { below } }),
  )
  busy.value = false
  if (answer.problem) wrong.value = said(answer.problem)
  else if (answer.data.says) wrong.value = answer.data.says
  else found.value = answer.data.names
}

function down(one: Schemas['NameOut']) {
  trail.value.push({ name: one.name, title: one.title })
  void look(one.name)
}

function up(to: number) {
  trail.value = trail.value.slice(0, to)
  void look(trail.value.at(-1)?.name ?? '')
}

/** The channel that is chosen gets this name, and those behind it what follows, as far as they have none. */
function pick(one: Schemas['NameOut']) {
  const known = new Set(found.value?.filter((other) => !other.leads).map((other) => other.name))
  const row = inARow.value ? numbered(one.name, known, names.value.length - at.value) : [one.name]
  row.forEach((name, k) => {
    if (k === 0 || !names.value[at.value + k]) names.value[at.value + k] = name
  })
  const next = names.value.findIndex((name, i) => i > at.value && !name)
  at.value = next < 0 ? Math.min(at.value + 1, names.value.length - 1) : next
}

function propose() {
  emit('propose', `names of ${props.module.title}`, [
    { do: 'name channels', module: props.module.module, channel: 0, names: names.value.map((n) => n.trim()) },
  ])
}
</script>

<template>
  <section class="at-rack" aria-label="names at the rack">
    <h3>what they are called at the rack</h3>
    <ol>
      <li v-for="(c, i) in module.channels" :key="c.channel" :class="{ at: i === at && found }">
        <span class="figure no">{{ c.address.split('·').at(-1) }}</span>
        <DenseField
          v-model="names[i]"
          class="figure name"
          :aria-label="`name of channel ${c.address}`"
          :placeholder="link === 'OPC UA' ? 'ns=2;s=…' : 'topic#/part'"
          :readonly="!mayChange"
          @focus="at = i"
        />
      </li>
    </ol>
    <p v-if="mayChange" class="keys">
      <v-btn v-if="changed" class="act main" @click="propose">keep these names</v-btn>
      <v-btn v-if="changed" class="act" @click="names = [...kept]">put back</v-btn>
      <v-btn class="act" :disabled="busy" :loading="busy" @click="up(0)">
        {{ link === 'OPC UA' ? 'look through its nodes' : 'listen for its topics' }}
      </v-btn>
    </p>
    <p v-if="busy" class="quiet small" role="status">
      {{ link === 'OPC UA' ? 'asking the rack…' : 'listening for a few seconds…' }}
    </p>
    <p v-if="wrong" class="bad small" role="alert">■ {{ wrong }}</p>
    <template v-if="found">
      <p class="small trail">
        <v-btn class="link" @click="up(0)">all</v-btn>
        <template v-for="(step, i) in trail" :key="step.name">
          › <v-btn class="link" @click="up(i + 1)">{{ step.title }}</v-btn>
        </template>
      </p>
      <p class="small finds">
        <DenseField v-model="sought" placeholder="find a name" aria-label="find a name" />
        <label><v-checkbox-btn v-model="inARow" /> the channels behind it as well</label>
      </p>
      <p v-if="!shown.length" class="quiet small">
        {{
          found.length ? 'no name like this' : link === 'OPC UA' ? 'nothing stands here' : 'nothing came by'
        }}
      </p>
      <ul class="found">
        <li v-for="one in shown.slice(0, MOST)" :key="one.name">
          <v-btn v-if="one.leads" class="link" @click="down(one)">{{ one.title }} ›</v-btn>
          <v-btn
            v-else
            class="link figure"
            :class="{ taken: !nobodys(one) }"
            :aria-label="`channel ${module.channels[at]?.address} is ${one.name}`"
            @click="pick(one)"
            >{{ one.title }}</v-btn
          >
          <span class="figure small says">{{ one.says }}</span>
          <span v-if="one.held" class="quiet small">{{ one.held }}</span>
        </li>
      </ul>
      <p v-if="shown.length > MOST" class="quiet small">and {{ shown.length - MOST }} more: find one</p>
    </template>
  </section>
</template>

<style scoped>
.at-rack {
  margin: 8px 0;
  padding-top: 6px;
  border-top: 1px solid rgb(var(--v-theme-line));
}

h3 {
  margin: 0 0 4px;
  font-size: 12px;
}

ol,
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}

ol li {
  display: grid;
  grid-template-columns: 26px minmax(0, 1fr);
  align-items: baseline;
  font-size: 12px;
}

ol li.at .no {
  color: rgb(var(--v-theme-copper));
  font-weight: 700;
}

.name {
  width: 100%;
}

.finds {
  display: flex;
  gap: 8px;
  align-items: center;
}

.keys {
  margin-top: 6px;
}

.found {
  max-height: 260px;
  overflow: auto;
  font-size: 12px;
}

.found li {
  display: flex;
  gap: 8px;
  align-items: baseline;
}

.found .link {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.taken {
  opacity: 0.6;
}

.says {
  margin-left: auto;
  white-space: nowrap;
}

.link {
  border: 0;
  background: none;
  color: rgb(var(--v-theme-copper));
  font: inherit;
  text-transform: none;
  cursor: pointer;
}

label {
  display: inline-flex;
  align-items: center;
}

.bad {
  color: rgb(var(--v-theme-bad));
}
</style>
