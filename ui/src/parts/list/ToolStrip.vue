<script setup lang="ts">
/** How the list is looked at, and work in bulk; each with its key. */
import { computed } from 'vue'
import { usePlant } from '../../plant/store'
import { useViews, type View } from '../../plant/views'

defineProps<{ panel: string }>()
const emit = defineEmits<{ show: [panel: string]; series: []; out: [form: 'csv' | 'xlsx'] }>()
const plant = usePlant()
const views = useViews()
const GROUPS = ['area', 'cabinet', 'loop', 'signal', 'status', 'typical']

const groups = computed(() => GROUPS.flatMap((name) => views.fields.get(name) ?? []))
const title = computed(() => (views.name || 'as it came') + (views.changed ? ', changed' : ''))
const inOrder = computed(() =>
  views.body.sort.map((one) => `${views.fields.get(one.field)?.label ?? one.field} ${one.down ? '↓' : '↑'}`),
)
</script>

<template>
  <div class="tools" role="toolbar" aria-label="the list">
    <button
      type="button"
      class="tool"
      :aria-pressed="panel === 'views'"
      title="Alt+V"
      @click="emit('show', 'views')"
    >
      view: {{ title }}
    </button>
    <button
      type="button"
      class="tool"
      :aria-pressed="panel === 'columns'"
      title="Alt+C"
      @click="emit('show', 'columns')"
    >
      columns {{ views.columns.length }}
    </button>
    <label class="tool">
      by
      <select
        :value="views.body.group"
        aria-label="group by"
        @change="views.change({ group: ($event.target as HTMLSelectElement).value })"
      >
        <option value="">no groups</option>
        <option v-for="field in groups" :key="field.name" :value="field.name">{{ field.label }}</option>
      </select>
    </label>
    <label class="tool">
      rows
      <select
        :value="views.body.density"
        aria-label="row height"
        @change="views.change({ density: ($event.target as HTMLSelectElement).value as View['density'] })"
      >
        <option value="close">close</option>
        <option value="usual">usual</option>
        <option value="wide">wide</option>
      </select>
    </label>
    <button
      v-if="inOrder.length"
      type="button"
      class="tool"
      title="back to the order they were entered in"
      @click="views.change({ sort: [] })"
    >
      in order of {{ inOrder.join(', ') }} ✕
    </button>
    <span class="gap" />
    <label class="tool">
      <select
        value=""
        aria-label="save what is shown"
        @change="
          (emit('out', ($event.target as HTMLSelectElement).value as 'csv'),
          (($event.target as HTMLSelectElement).value = ''))
        "
      >
        <option value="" disabled>save these…</option>
        <option value="xlsx">as workbook, XLSX</option>
        <option value="csv">as CSV</option>
      </select>
    </label>
    <template v-if="plant.may('edit')">
      <button type="button" class="tool" title="Alt+S: count on down the selection" @click="emit('series')">
        series
      </button>
      <button
        type="button"
        class="tool"
        :aria-pressed="panel === 'replace'"
        title="Alt+R"
        @click="emit('show', 'replace')"
      >
        replace
      </button>
      <button
        type="button"
        class="tool"
        :aria-pressed="panel === 'lock'"
        title="Alt+L"
        @click="emit('show', 'lock')"
      >
        lock row
      </button>
      <button
        type="button"
        class="tool"
        :aria-pressed="panel === 'typicals'"
        title="Alt+T"
        @click="emit('show', 'typicals')"
      >
        typicals
      </button>
    </template>
    <button
      type="button"
      class="tool"
      :aria-pressed="panel === 'keys'"
      title="F1"
      @click="emit('show', 'keys')"
    >
      keys
    </button>
    <button
      v-if="plant.may('edit')"
      type="button"
      class="act main"
      title="Alt+N or Insert"
      @click="emit('show', 'new')"
    >
      new points
    </button>
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 0 14px;
  overflow: hidden;
  white-space: nowrap;
}

.tool {
  border: 0;
  background: none;
  color: rgb(var(--v-theme-copper));
  font: inherit;
  font-size: 12px;
  cursor: pointer;
}

label.tool {
  color: rgb(var(--v-theme-quiet));
  cursor: default;
}

.tool[aria-pressed='true'] {
  font-weight: 600;
  text-decoration: underline;
}

.gap {
  flex: 1;
}

.act.main {
  padding: 0 12px;
}
</style>
