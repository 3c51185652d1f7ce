<script setup lang="ts">
/** The duct with its six stations. Type at any of them and Enter: all the others follow. */
import { computed, ref } from 'vue'
import type { Schemas } from '../api/client'
import type { StationName, WhatIf } from '../plant/usePath'
import type { Finding } from '../plant/columns'
import { gist, mark } from '../plant/findings'
import DenseField from '../kit/DenseField.vue'

const props = defineProps<{
  path: Schemas['PathOut']
  whatIf: WhatIf | null
  refused: { station: string; says: string } | null
  chosen: StationName
  findings: Finding[]
  facts: Schemas['SheetOut']['facts']
  stale: boolean
}>()
const emit = defineEmits<{
  type: [station: StationName, text: string]
  live: []
  choose: [station: StationName]
}>()

const typing = ref<{ station: string; text: string } | null>(null)
const worked = ref('')
const wordsFor: Record<string, string> = {
  PROCESS: 'in the pipe',
  DEVICE: 'what the device makes of it',
  LOOP: 'on the wires',
  INPUT: 'what the module sees',
  COUNTS: 'what the controller reads',
  VALUE: 'what people trust',
}
/** The worst verdict of the facts at a station, where no finding speaks for it already. */
const verdicts = computed(() => {
  const out = new Map<string, Schemas['SheetOut']['facts'][number]>()
  for (const section of props.facts)
    if (section.tone && (section.tone === 'bad' || !out.has(section.station)))
      out.set(section.station, section)
  return out
})
// The worst of a station speaks for it: findings come worst first.
const faults = computed(() => new Map([...props.findings].reverse().map((f) => [f.station, f])))

function shown(station: Schemas['StationOut']): string {
  if (typing.value?.station === station.name) return typing.value.text
  if (props.whatIf?.station === station.name)
    return props.refused ? props.whatIf.text : station.figure || props.whatIf.text
  return station.figure
}

function start(station: Schemas['StationOut']) {
  emit('choose', station.name as StationName)
  typing.value = { station: station.name, text: shown(station) }
}

function key(event: KeyboardEvent, station: Schemas['StationOut']) {
  if (event.key === 'Enter' && typing.value) {
    emit('type', station.name as StationName, typing.value.text)
    typing.value = null
    ;(event.target as HTMLInputElement).blur()
  } else if (event.key === 'Escape') {
    event.stopPropagation()
    typing.value = null
    ;(event.target as HTMLInputElement).blur()
    emit('live')
  }
}

function left(station: Schemas['StationOut']) {
  const now = typing.value
  typing.value = null
  if (now && now.station === station.name && now.text !== shown(station))
    emit('type', station.name as StationName, now.text)
}

const kind = (station: Schemas['StationOut']) =>
  props.path.source === 'what-if'
    ? station.given ? 'apart given' : 'apart'
    : props.path.injected && station.name === 'LOOP' ? 'apart given' : '' // prettier-ignore
</script>

<template>
  <div class="duct">
    <div class="comb" aria-hidden="true"></div>
    <div class="stations">
      <section
        v-for="station in path.stations"
        :key="station.name"
        class="station panel"
        :class="[faults.get(station.name)?.severity, { chosen: chosen === station.name }]"
        @click="emit('choose', station.name as StationName)"
      >
        <span class="drop" aria-hidden="true"></span>
        <h3 v-tip="wordsFor[station.name]">{{ station.name }}</h3>
        <label class="box" :class="[kind(station), { refused: refused?.station === station.name }]">
          <DenseField
            :model-value="shown(station)"
            class="figure"
            :class="{ stale, long: shown(station).length > 9 }"
            :size="6"
            :aria-label="`${station.name}, ${wordsFor[station.name]}`"
            :placeholder="'—'"
            spellcheck="false"
            autocomplete="off"
            @focus="start(station)"
            @input="typing = { station: station.name, text: ($event.target as HTMLInputElement).value }"
            @keydown="key($event, station)"
            @blur="left(station)"
          />
          <span class="unit quiet">{{ station.unit }}</span>
        </label>
        <p v-if="refused?.station === station.name" class="refusal small" role="alert">
          ■ {{ refused.says }}
        </p>
        <p v-for="line in station.lines.slice(0, 3)" :key="line" class="line small">{{ line }}</p>
        <p
          v-if="faults.get(station.name)"
          v-tip="faults.get(station.name)!.text"
          class="small told"
          :class="`fault ${faults.get(station.name)!.severity}`"
        >
          {{ mark(faults.get(station.name)!) }} {{ gist(faults.get(station.name)!.text) }}
        </p>
        <p
          v-else-if="verdicts.has(station.name)"
          v-tip="verdicts.get(station.name)!.verdict"
          class="small line"
          :class="`fault ${verdicts.get(station.name)!.tone}`"
        >
          {{ verdicts.get(station.name)!.tone === 'bad' ? '■' : '▲' }}
          {{ verdicts.get(station.name)!.verdict }}
        </p>
        <v-btn
          v-if="station.working"
          v-tip="'how this number came about'"
          class="why"
          :aria-expanded="worked === station.name"
          @click.stop="worked = worked === station.name ? '' : station.name"
        >
          working
        </v-btn>
        <div v-if="worked === station.name && station.working" class="working panel" @click.stop>
          <p class="figure">{{ station.working.formula }}</p>
          <p class="figure">{{ station.working.figures }}</p>
          <p class="quiet">{{ station.working.source }}</p>
        </div>
      </section>
    </div>
  </div>
</template>

<style scoped>
.stations {
  display: grid;
  grid-template-columns: repeat(6, minmax(0, 1fr));
  gap: 10px;
}

.station {
  position: relative;
  min-height: 142px;
  margin-top: 24px;
  padding: 7px 9px 6px;
}

.drop {
  position: absolute;
  bottom: 100%;
  left: 50%;
  width: 3px;
  height: 36px;
  background: rgb(var(--v-theme-copper));
}

.station.chosen {
  border-color: rgb(var(--v-theme-copper));
  box-shadow: 0 0 0 1px rgb(var(--v-theme-copper));
}

.station.settle {
  border-color: rgb(var(--v-theme-settle));
}

.station.bad {
  border-color: rgb(var(--v-theme-bad));
}

h3 {
  margin: 0 0 4px;
  font-size: 12px;
  letter-spacing: 0.03em;
}

.box {
  display: flex;
  align-items: baseline;
  gap: 4px;
  margin-bottom: 5px;
  padding: 0 6px;
  border: 1px solid rgb(var(--v-theme-duct));
  border-radius: 3px;
  background: rgb(var(--v-theme-surface));
}

.box:focus-within {
  outline: 2px solid rgb(var(--v-theme-copper));
}

.box.apart {
  border: 1px dashed rgb(var(--v-theme-apart));
  color: rgb(var(--v-theme-apart));
}

.box.given {
  border-width: 2px;
  background: rgb(var(--v-theme-apart-wash));
}

.box.refused {
  border: 2px solid rgb(var(--v-theme-bad));
}

input {
  flex: 1;
  width: 0;
  min-width: 0;
  border: 0;
  background: none;
  color: inherit;
  font-size: 19px;
  line-height: 32px;
  text-align: right;
  outline: none;
}

input.long {
  font-size: 14px;
}

input.stale {
  color: rgb(var(--v-theme-quiet));
}

.unit {
  font-size: 11px;
}

@media (max-width: 1100px) {
  .stations {
    gap: 6px;
  }

  .station {
    padding: 6px;
  }

  input {
    font-size: 15px;
  }
}

@media (max-width: 760px) {
  .stations {
    grid-template-columns: minmax(0, 1fr);
    gap: 6px;
  }

  .station {
    min-height: 0;
    margin-top: 0;
    border-left: 4px solid rgb(var(--v-theme-copper));
  }

  .drop {
    display: none;
  }

  input {
    font-size: 20px;
  }
}

.line {
  margin: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.refusal {
  margin: 0;
  color: rgb(var(--v-theme-bad));
}

.fault {
  margin: 2px 0 0;
}

.told {
  display: -webkit-box;
  overflow: hidden;
  -webkit-line-clamp: 2;
  line-clamp: 2;
  -webkit-box-orient: vertical;
}

.fault.settle {
  color: rgb(var(--v-theme-settle));
}

.fault.bad {
  color: rgb(var(--v-theme-bad));
}

.why {
  position: absolute;
  top: 6px;
  right: 8px;
  padding: 0;
  border: 0;
  background: none;
  color: rgb(var(--v-theme-quiet));
  font-size: 11px;
  text-decoration: underline dotted;
  cursor: pointer;
}

.working {
  position: absolute;
  top: 100%;
  left: 0;
  z-index: 8;
  width: max-content;
  max-width: 520px;
  padding: 8px 12px;
  box-shadow: 0 4px 16px rgb(0 0 0 / 25%);
}

.working p {
  margin: 0 0 3px;
}

.station:nth-child(n + 4) .working {
  right: 0;
  left: auto;
}
</style>
