<script setup lang="ts">
/**
 * The list on paper: every row that is shown, not the thirty on screen, with its columns' stations and heads on each page,
 * and what was printed, of which plant, when and by whom. Made only while it is printed.
 */
import { useEventListener } from '@vueuse/core'
import { computed, ref } from 'vue'
import { usePlant } from '../../plant/store'
import type { Column } from '../../plant/views'

const props = defineProps<{
  rows: readonly number[]
  fields: readonly Column[]
  query: string
  issue: string
}>()
const plant = usePlant()
const MOST = 10_000
const printing = ref(false)
const begin = () => (printing.value = true)
const end = () => (printing.value = false)
// Columns that live in the moment, or that no row fills, have nothing to say on paper.
const columns = computed(() =>
  props.fields.filter(
    (field) => field.kind !== 'live' && shown.value.some((row) => plant.list.text(field.name, row)),
  ),
)
const whole = computed(() => props.rows.filter((row) => row >= 0))
const shown = computed(() => whole.value.slice(0, MOST))
useEventListener('beforeprint', begin)
useEventListener('afterprint', end)
</script>

<template>
  <div v-if="printing" class="paper">
    <h1>
      {{ plant.plant?.name }} · I/O list<template v-if="query"> · “{{ query }}”</template>
      <small>
        {{ whole.length }} of {{ plant.list.length }} points ·
        {{ issue || `not issued, change ${plant.list.seq}` }} · {{ new Date().toLocaleString() }} ·
        {{ plant.session?.account }}
      </small>
    </h1>
    <p v-if="whole.length > MOST">
      the first {{ MOST }} of {{ whole.length }} rows: find fewer, or save it as a workbook
    </p>
    <table>
      <thead>
        <tr>
          <th v-for="field in columns" :key="field.name">
            <small>{{ field.station }}</small><br />{{ field.label
            }}{{ field.unit ? ` [${field.unit}]` : '' }}
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in shown" :key="row">
          <td v-for="field in columns" :key="field.name">{{ plant.list.text(field.name, row) }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style>
.paper {
  display: none;
}

@media print {
  html:has(.paper),
  body:has(.paper) {
    overflow: visible !important;
    height: auto !important;
    background: white !important;
  }

  /* On paper there is the list and nothing else. */
  body:has(.paper) .frame,
  body:has(.paper) .page,
  body:has(.paper) .v-application,
  body:has(.paper) .v-application__wrap,
  body:has(.paper) .list {
    display: block !important;
    height: auto !important;
    min-height: 0 !important;
    overflow: visible !important;
    background: white !important;
  }

  body:has(.paper) .frame > *:not(.page),
  body:has(.paper) .list > *:not(.paper) {
    display: none !important;
  }

  .paper {
    display: block;
    color: black;
    font-size: 7pt;
  }

  .paper h1 {
    margin: 0 0 6pt;
    font-size: 12pt;
  }

  .paper h1 small {
    margin-left: 8pt;
    font-size: 8pt;
    font-weight: normal;
  }

  .paper table {
    border-collapse: collapse;
    width: 100%;
  }

  .paper th,
  .paper td {
    border: 0.5pt solid #999;
    padding: 1pt 3pt;
    text-align: left;
    vertical-align: top;
  }

  .paper td:first-child {
    white-space: nowrap;
  }

  .paper thead {
    display: table-header-group;
  }

  .paper tr {
    break-inside: avoid;
  }
}

@page {
  size: A4 landscape;
  margin: 10mm;
}
</style>
