<script setup lang="ts">
/** How the list is looked at, and work in bulk; each with its key. */
import { computed } from 'vue'
import { usePlant } from '../../plant/store'
import { useViews, type View } from '../../plant/views'
import { none, saysOf } from '../../plant/filters'
import ChoiceField from '../../kit/ChoiceField.vue'

defineProps<{ panel: string; pinned: number }>()
const emit = defineEmits<{ show: [panel: string]; series: []; unpin: []; out: [form: 'csv' | 'xlsx'] }>()
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
    <v-btn v-tip="'Alt+V'" class="tool" :aria-pressed="panel === 'views'" @click="emit('show', 'views')">
      view: {{ title }}
    </v-btn>
    <v-btn v-tip="'Alt+C'" class="tool" :aria-pressed="panel === 'columns'" @click="emit('show', 'columns')">
      columns {{ views.columns.length }}
    </v-btn>
    <label class="tool">
      by
      <ChoiceField
        :model-value="views.body.group"
        aria-label="group by"
        :items="[
          { value: '', title: 'no groups' },
          ...groups.map((field) => ({ value: field.name, title: field.label })),
        ]"
        @update:model-value="views.change({ group: $event })"
      />
    </label>
    <label class="tool">
      rows
      <ChoiceField
        :model-value="views.body.density"
        aria-label="row height"
        :items="['close', 'usual', 'wide']"
        @update:model-value="views.change({ density: $event as View['density'] })"
      />
    </label>
    <v-btn
      v-if="inOrder.length"
      v-tip="'back to the order they were entered in'"
      class="tool"
      @click="views.change({ sort: [] })"
    >
      in order of {{ inOrder.join(', ') }} ✕
    </v-btn>
    <v-btn
      v-if="pinned"
      v-tip="'Alt+P: let them go with the others again'"
      class="tool"
      @click="emit('unpin')"
    >
      {{ pinned }} kept in sight ✕
    </v-btn>
    <v-btn
      v-for="filter in views.filters"
      :key="filter.field"
      v-tip="'show all texts of this column again'"
      class="tool"
      @click="views.filterBy(none(filter.field))"
    >
      {{ views.fields.get(filter.field)?.label }}: {{ saysOf(filter) }} ✕
    </v-btn>
    <span class="gap" />
    <v-menu>
      <template #activator="{ props: opens }">
        <v-btn class="tool" v-bind="opens">save these…</v-btn>
      </template>
      <v-list>
        <v-list-item title="as workbook, XLSX" @click="emit('out', 'xlsx')" />
        <v-list-item title="as CSV" @click="emit('out', 'csv')" />
      </v-list>
    </v-menu>
    <template v-if="plant.may('edit')">
      <v-btn v-tip="'Alt+S: count on down the selection'" class="tool" @click="emit('series')">
        series
      </v-btn>
      <v-btn
        v-tip="'Alt+R'"
        class="tool"
        :aria-pressed="panel === 'replace'"
        @click="emit('show', 'replace')"
      >
        replace
      </v-btn>
      <v-btn v-tip="'Alt+L'" class="tool" :aria-pressed="panel === 'lock'" @click="emit('show', 'lock')">
        lock row
      </v-btn>
      <v-btn
        v-tip="'Alt+T'"
        class="tool"
        :aria-pressed="panel === 'typicals'"
        @click="emit('show', 'typicals')"
      >
        typicals
      </v-btn>
    </template>
    <v-btn v-tip="'F1'" class="tool" :aria-pressed="panel === 'keys'" @click="emit('show', 'keys')">
      keys
    </v-btn>
    <v-btn v-if="plant.may('edit')" v-tip="'Alt+N or Insert'" class="act main" @click="emit('show', 'new')">
      new points
    </v-btn>
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 0 14px;
  overflow: auto hidden;
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
