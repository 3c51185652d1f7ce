<script setup lang="ts">
/** What follows at the chosen station: budgets, limits, agreement; each figure with what it rests on. */
import type { Schemas } from '../api/client'

defineProps<{ sections: Schemas['SheetOut']['facts'] }>()
const mark = (tone: string) => (tone === 'bad' ? '■ ' : tone === 'settle' ? '▲ ' : '')
</script>

<template>
  <section class="panel facts">
    <div v-for="section in sections" :key="section.title" class="section">
      <h3>
        {{ section.title }}
        <span v-if="section.verdict" class="verdict" :class="section.tone || 'quiet'">
          {{ mark(section.tone) }}{{ section.verdict }}
        </span>
      </h3>
      <dl>
        <div v-for="row in section.rows" :key="row.label" :class="row.tone">
          <dt class="quiet">{{ row.label }}</dt>
          <dd>
            <span class="figure">{{ mark(row.tone) }}{{ row.figure }}</span>
            <span v-if="row.basis" class="quiet basis">{{ row.basis }}</span>
          </dd>
        </div>
      </dl>
    </div>
  </section>
</template>

<style scoped>
.facts {
  padding: 8px 12px;
  overflow: auto;
}

.section + .section {
  margin-top: 10px;
}

h3 {
  margin: 0 0 4px;
  font-size: 12px;
}

.verdict {
  margin-left: 6px;
  font-weight: 400;
}

.verdict.bad {
  color: rgb(var(--v-theme-bad));
}

.verdict.settle {
  color: rgb(var(--v-theme-settle));
}

dl {
  margin: 0;
  font-size: 12px;
}

dl > div {
  display: grid;
  grid-template-columns: minmax(90px, 0.7fr) minmax(0, 1.6fr);
  gap: 8px;
  padding: 2px 0;
  border-top: 1px solid rgb(var(--v-theme-line));
}

dd {
  margin: 0;
}

.basis {
  display: block;
  font-size: 11px;
}

.bad .figure {
  color: rgb(var(--v-theme-bad));
}

.settle .figure {
  color: rgb(var(--v-theme-settle));
}
</style>
