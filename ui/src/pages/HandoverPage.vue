<script setup lang="ts">
/** What leaves and enters: the plant as a project file, the list as a sheet, lists from anyone. */
import { ref } from 'vue'
import { usePlant } from '../plant/store'
import { exportList } from '../plant/exportList'

const plant = usePlant()
const busy = ref('')

async function out(form: 'csv' | 'xlsx') {
  busy.value = form
  await exportList(plant, { form })
  busy.value = ''
}
</script>

<template>
  <section class="handover">
    <div class="panel out">
      <h2>take the list with you</h2>
      <p class="quiet">
        All points with all columns. The workbook has frozen heads, filters, figures as figures, and sheets of
        findings and of spares. What is shown alone goes out from the list itself.
      </p>
      <p class="keys">
        <button type="button" class="act main" :disabled="!!busy" @click="out('xlsx')">
          {{ busy === 'xlsx' ? 'writing…' : 'workbook, XLSX' }}
        </button>
        <button type="button" class="act" :disabled="!!busy" @click="out('csv')">
          {{ busy === 'csv' ? 'writing…' : 'CSV' }}
        </button>
      </p>
    </div>
    <div class="panel out">
      <h2>take the plant with you</h2>
      <p class="quiet">
        Everything in one open JSON file: conventions, module types, cabinets, typicals, every point. It comes
        back with <span class="figure">./canaleta import</span>.
      </p>
      <a class="act main" href="/api/project" download>project file</a>
      <a class="act" href="/api/project/schema" target="_blank" rel="noopener">its schema</a>
    </div>
    <div class="panel in">
      <h2>bring in a list</h2>
      <p class="quiet">
        CSV, XLSX, ODS, XLS or pasted rows, laid out in any way. A known tag changes that point, a new one
        adds it; what it would do is shown cell by cell before anything is changed.
      </p>
      <router-link to="/import" class="act main">bring in a list…</router-link>
    </div>
  </section>
</template>

<style scoped>
.handover {
  display: grid;
  grid-template-columns: minmax(240px, 1fr) minmax(0, 2.4fr);
  gap: 12px;
  align-items: start;
  height: 100%;
  padding: 16px 20px;
  overflow: auto;
}

.panel {
  padding: 12px 16px;
}

h2 {
  margin: 0 0 6px;
  font-size: 14px;
}

.act {
  display: inline-block;
  margin-right: 8px;
  text-decoration: none;
}

.pick input {
  position: absolute;
  width: 1px;
  height: 1px;
  opacity: 0;
}

.pick:focus-within {
  outline: 2px solid rgb(var(--v-theme-copper));
}

.sum {
  margin: 10px 0 6px;
}

dl {
  columns: 2;
  font-size: 12px;
}

dl > div {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
  break-inside: avoid;
}

dd {
  margin: 0;
}

table {
  width: 100%;
  border-collapse: collapse;
  font-size: 12px;
}

caption {
  padding: 6px 0;
  color: rgb(var(--v-theme-settle));
  text-align: left;
}

td,
th {
  padding: 3px 6px;
  border-bottom: 1px solid rgb(var(--v-theme-line));
  text-align: left;
}

.bad {
  color: rgb(var(--v-theme-bad));
}
</style>
