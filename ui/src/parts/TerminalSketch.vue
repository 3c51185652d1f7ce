<script setup lang="ts">
/** The terminals of the point: cores between device and module, which way the current flows, who is the source. */
import { computed } from 'vue'
import type { Schemas } from '../api/client'

const props = defineProps<{
  wiring: Schemas['WiringOut'] | null
  point: number
  tag: string
  module: string
  register: string
}>()
const STEP = 34
/** A row for each core, for each wire in the cabinet, for each terminal that stays empty. */
const all = computed(() => [
  ...(props.wiring?.cores ?? []).map((core) => ({ mark: core.terminal, role: core.role, says: '', core })),
  ...(props.wiring?.links ?? []).map(({ terminal, role, to }) => ({
    mark: terminal,
    role,
    says: ` → ${to}`,
    core: null,
  })),
  ...(props.wiring?.unused ?? []).map(({ mark, role }) => ({ mark, role, says: ', not used', core: null })),
])
const height = computed(() => all.value.length * STEP + 26)
const wired = computed(() => props.wiring?.cores.length ?? 0)
</script>

<template>
  <section class="panel terminals">
    <h3 class="quiet">
      terminals
      <router-link v-if="wiring" class="whole" :to="`/point/${point}/wiring`"
        >the whole way, meter and calibrator</router-link
      >
    </h3>
    <p v-if="!wiring" class="quiet">not landed on a channel yet: type one in INPUT below</p>
    <template v-else>
      <svg :viewBox="`0 0 210 ${height}`" role="img" :aria-label="wiring.words">
        <rect class="device" x="2" y="12" width="62" :height="Math.max(wired, 1) * STEP" rx="3" />
        <text class="name" x="33" :y="12 + (Math.max(wired, 1) * STEP) / 2 + 4" text-anchor="middle">
          {{ tag.slice(0, 9) }}
        </text>
        <rect class="module" x="120" y="4" width="88" :height="height - 8" rx="2" />
        <g v-for="(t, i) in all" :key="i">
          <template v-if="t.core">
            <line class="core" x1="64" x2="120" :y1="30 + i * STEP" :y2="30 + i * STEP" />
            <path
              v-if="t.core.flows"
              class="arrow"
              :d="
                t.core.flows === 'to device'
                  ? `M84 ${30 + i * STEP} l9 -5 v10 z`
                  : `M101 ${30 + i * STEP} l-9 -5 v10 z`
              "
            />
            <text x="68" :y="24 + i * STEP">{{ t.core.device_side }}</text>
          </template>
          <template v-if="t.mark">
            <circle class="screw" cx="120" :cy="30 + i * STEP" r="4" />
            <text class="mark" x="128" :y="29 + i * STEP">{{ t.mark }}</text>
            <text x="128" :y="40 + i * STEP">{{ t.role }}{{ t.says }}</text>
          </template>
          <template v-else>
            <!-- Not of the module: a rail in the cabinet, beside it. -->
            <rect class="beside" x="119" :y="16 + i * STEP" width="91" height="28" />
            <path class="core" :d="`M120 ${23 + i * STEP} v14`" />
            <text x="124" :y="34 + i * STEP">{{ t.role }}</text>
          </template>
        </g>
      </svg>
      <p>{{ wiring.words }}</p>
      <p v-if="wiring.inside" class="quiet small">inside: {{ wiring.inside }}</p>
      <p class="quiet small">{{ module }}{{ register ? ` · ${register}` : '' }}</p>
    </template>
  </section>
</template>

<style scoped>
.beside {
  fill: rgb(var(--v-theme-surface));
}

.terminals {
  padding: 7px 10px;
  overflow: auto;
}

h3 {
  margin: 0 0 4px;
  font-size: 12px;
  font-weight: 400;
}

.whole {
  margin-left: 6px;
  color: rgb(var(--v-theme-copper));
}

svg {
  display: block;
  width: 100%;
  max-height: 150px;
}

p {
  margin: 2px 0;
  font-size: 12px;
}

.device,
.module {
  fill: rgb(var(--v-theme-bar));
  stroke: rgb(var(--v-theme-duct));
}

.core {
  stroke: rgb(var(--v-theme-ink));
  stroke-width: 2;
}

.arrow {
  fill: rgb(var(--v-theme-copper));
}

.screw {
  fill: rgb(var(--v-theme-surface));
  stroke: rgb(var(--v-theme-ink));
}

text {
  fill: rgb(var(--v-theme-quiet));
  font-family: var(--sans);
  font-size: 10px;
}

.name,
.mark {
  fill: rgb(var(--v-theme-ink));
  font-family: var(--mono);
  font-weight: 600;
}
</style>
