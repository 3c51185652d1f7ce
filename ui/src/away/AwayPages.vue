<script setup lang="ts">
/** The pages of one point, away: its path in facts, its wiring with what a meter should read, its settings and where they stand. */
import { computed } from 'vue'
import type { Pages } from './model'

const props = defineProps<{ page: Pages; shows: 'path' | 'wiring' | 'settings' }>()
const wiring = computed(() => props.page.wiring)
const stations = computed(() => {
  const out = new Map<string, Pages['settings']>()
  for (const one of props.page.settings) out.set(one.station, [...(out.get(one.station) ?? []), one])
  return [...out]
})
const MARKS: Record<string, string> = { bad: '■', settle: '▲' }
</script>

<template>
  <template v-if="shows === 'path'">
    <section v-for="s in page.facts" :key="s.title" class="card">
      <h3>{{ s.title }}</h3>
      <p v-if="s.verdict" :class="s.tone">{{ MARKS[s.tone] ?? '' }} {{ s.verdict }}</p>
      <dl>
        <template v-for="r in s.rows" :key="r.label">
          <dt>{{ r.label }}</dt>
          <dd>
            <span class="figure" :class="r.tone">{{ r.figure }}</span>
            <span class="quiet">{{ r.basis }}</span>
          </dd>
        </template>
      </dl>
    </section>
    <p v-if="!page.facts.length" class="quiet">nothing can be told of its path yet</p>
  </template>
  <template v-else-if="shows === 'wiring'">
    <p v-if="!wiring" class="quiet">it holds no channel or has no signal yet: there is no circuit to draw</p>
    <template v-else>
      <section v-if="wiring.safe.length" class="card warns">
        <h3>▲ before anything is lifted</h3>
        <p v-for="line in wiring.safe" :key="line">{{ line }}</p>
      </section>
      <!-- The server drew and escaped every text; nothing typed reaches the page as markup. -->
      <!-- eslint-disable-next-line vue/no-v-html -->
      <div class="card drawing" tabindex="0" role="img" :aria-label="wiring.words" v-html="wiring.svg"></div>
      <p class="quiet narrow">the drawing goes on to the right: drag it</p>
      <p v-for="fault in wiring.faults" :key="fault" class="bad">■ {{ fault }}</p>
      <section v-for="r in wiring.readings" :key="r.meter + r.where" class="card">
        <p>
          <b>{{ r.meter }}</b> {{ r.where }}
        </p>
        <p class="figure large">{{ r.healthy }}</p>
        <p v-for="[seen, means] in r.otherwise" :key="seen" class="quiet">{{ seen }}: {{ means }}</p>
      </section>
      <section class="card">
        <h3>the calibrator</h3>
        <p>
          <b>{{ wiring.calibrator }}</b>
        </p>
        <ol>
          <li v-for="(step, i) in wiring.steps" :key="i">{{ step }}</li>
        </ol>
      </section>
      <section v-if="wiring.way.length" class="card">
        <h3>the current’s way round</h3>
        <ol>
          <li v-for="(step, i) in wiring.way" :key="i">{{ step }}</li>
        </ol>
        <p v-for="note in wiring.notes" :key="note" class="quiet">{{ note }}</p>
      </section>
    </template>
  </template>
  <template v-else>
    <section v-if="page.channel_settings.length" class="card">
      <h3>in the rack</h3>
      <dl>
        <template v-for="one in page.channel_settings" :key="one.where">
          <dt>{{ one.of }}</dt>
          <dd>
            <span class="figure">{{ one.text || '–' }}</span> <span class="quiet">{{ one.where }}</span>
          </dd>
        </template>
      </dl>
    </section>
    <section v-for="[station, lines] in stations" :key="station" class="card">
      <h3>{{ station.toLowerCase() }}</h3>
      <dl>
        <template v-for="one in lines" :key="one.label">
          <dt>{{ one.label }}</dt>
          <dd>
            <span class="figure">{{ one.text }}</span> {{ one.unit }}
            <span v-if="one.follows" class="quiet">follows: nothing was typed</span>
          </dd>
        </template>
      </dl>
    </section>
  </template>
</template>

<style scoped>
h3 {
  margin: 0 0 4px;
  font-size: 14px;
}

p {
  margin: 4px 0;
}

dl {
  display: grid;
  grid-template-columns: minmax(90px, 34%) minmax(0, 1fr);
  gap: 4px 10px;
  margin: 0;
}

dt {
  color: rgb(var(--v-theme-quiet));
}

dd {
  margin: 0;
  overflow-wrap: anywhere;
}

dd .figure {
  white-space: normal;
}

dd .quiet {
  display: block;
  font-size: 13px;
}

ol {
  margin: 0;
  padding-left: 22px;
}

.large {
  font-size: 19px;
  overflow-wrap: anywhere;
  white-space: normal;
}

.warns {
  border-left-color: rgb(var(--v-theme-settle));
  background: rgb(var(--v-theme-settle-wash));
}

.drawing {
  --draw-ink: rgb(var(--v-theme-ink));
  --draw-paper: rgb(var(--v-theme-surface));
  --draw-quiet: rgb(var(--v-theme-quiet));
  --draw-copper: rgb(var(--v-theme-copper));
  --draw-bad: rgb(var(--v-theme-bad));

  overflow: auto;
}

@media (min-width: 720px) {
  .narrow {
    display: none;
  }
}

.drawing :deep(svg) {
  display: block;
  width: 100%;
  min-width: 640px;
}
</style>
