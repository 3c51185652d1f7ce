<script setup lang="ts">
/** The keys of the list. */
import PanelHead from './PanelHead.vue'

const emit = defineEmits<{ shut: [] }>()
const KEYS: [string, [string, string][]][] = [
  ['move', [['arrows', 'a cell'], ['Ctrl+arrows', 'to the end'], ['Shift', 'with it: select'], ['Shift+Space', 'whole rows'], ['Ctrl+Space', 'the column'], ['Enter', 'signal path; Esc comes back'], ['/', 'find'], ['F6', 'out of the list: rail, bar, tools'], ['Alt+↓', 'filter by this column']]],
  ['type', [['F2, or typing', 'edit'], ['Enter, Tab', 'accept, and on'], ['Ctrl+Enter', 'into every selected cell'], ['Esc', 'leave as it was'], ['Delete', 'empty the cells']]],
  ['in bulk', [['Ctrl+C, Ctrl+V', 'with any spreadsheet'], ['Ctrl+D', 'fill down'], ['Alt+=', 'value same as the device'], ['Alt+S', 'series: count on down'], ['Alt+R', 'find and replace'], ['Alt+N, Insert', 'new points, or one like this'], ['Ctrl+Delete', 'take points away'], ['Ctrl+Z, Ctrl+Y', 'undo, redo']]],
  ['look', [['Alt+C', 'columns'], ['Alt+V', 'views'], ['Alt+T', 'typicals'], ['Alt+L', 'lock this row'], ['Alt+P', 'keep these rows in sight'], ['Alt+K, F1', 'these keys']]],
] // prettier-ignore
const FIND: [string, string][] = [
  ['kiln 2', 'both somewhere in the row'],
  ['signal:tc', 'in that column'],
  ['device.high>=10', 'a figure of one station'],
  ['high:5..10', 'between'],
  ['value>900', 'the live value'],
  ['has:finding · no:channel', 'anything there, nothing there'],
  ['is:bad · is:stale', 'how far the value can be trusted'],
  ['rule:R07 · is:locked', 'a finding of that rule; locked'],
  ['-spare', 'not'],
  ['a or b', 'either'],
  ['"own 24 V"', 'as it stands'],
]
</script>

<template>
  <PanelHead title="keys" @shut="emit('shut')" />
  <template v-for="[head, keys] in KEYS" :key="head">
    <h2>{{ head }}</h2>
    <dl>
      <template v-for="[key, says] in keys" :key="key"
        ><dt class="figure small">{{ key }}</dt>
        <dd class="small">{{ says }}</dd></template
      >
    </dl>
  </template>
  <h2>find</h2>
  <dl>
    <template v-for="[key, says] in FIND" :key="key"
      ><dt class="figure small">{{ key }}</dt>
      <dd class="small">{{ says }}</dd></template
    >
  </dl>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 152px 1fr;
  gap: 1px 6px;
  margin: 0;
}

dd {
  margin: 0;
}
</style>
