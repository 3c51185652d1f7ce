<script setup lang="ts">
/** What leaves and enters: the plant as a project file, the list as a sheet, lists from anyone. */
import { ref } from 'vue'
import { usePlant } from '../plant/store'
import DossierPanel from '../parts/handover/DossierPanel.vue'
import { exportList } from '../plant/exportList'

const plant = usePlant()
const busy = ref('')

async function out(form: 'csv' | 'xlsx' | 'ods' | 'pdf', paper: 'A4' | 'A3' = 'A3') {
  busy.value = form === 'pdf' ? paper : form
  await exportList(plant, { form, paper })
  busy.value = ''
}
</script>

<template>
  <section class="handover">
    <div class="panel out">
      <h2>take the list with you</h2>
      <p class="quiet">
        All points with all columns. The workbook has frozen heads, filters, figures as figures, and sheets of
        findings and of spares; on paper what changed since the last issue is marked. What is shown alone goes
        out from the list itself.
      </p>
      <p class="keys">
        <v-btn class="act main" :disabled="!!busy" @click="out('xlsx')">
          {{ busy === 'xlsx' ? 'writing…' : 'workbook, XLSX' }}
        </v-btn>
        <v-btn class="act" :disabled="!!busy" @click="out('ods')">
          {{ busy === 'ods' ? 'writing…' : 'workbook, ODS' }}
        </v-btn>
        <v-btn class="act" :disabled="!!busy" @click="out('csv')">
          {{ busy === 'csv' ? 'writing…' : 'CSV' }}
        </v-btn>
        <v-btn
          v-for="paper in ['A3', 'A4'] as const"
          :key="paper"
          class="act"
          :disabled="!!busy"
          @click="out('pdf', paper)"
        >
          {{ busy === paper ? 'writing…' : `print, ${paper}` }}
        </v-btn>
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
    <DossierPanel />
    <div class="panel in">
      <h2>issue the list</h2>
      <p class="quiet">
        Draft, check, issue: frozen with a mark, signed by two, compared with any other, printed as a redline.
      </p>
      <router-link to="/revisions" class="act main">issues of the list…</router-link>
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
  grid-template-columns: repeat(auto-fill, minmax(min(280px, 100%), 460px));
  gap: 12px;
  align-content: start;
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
</style>
