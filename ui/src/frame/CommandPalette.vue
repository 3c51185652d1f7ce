<script setup lang="ts">
/** Everything one can do and everywhere one can go, by a few letters: Ctrl+K. */
import { computed, ref, watch } from 'vue'
import { usePlant } from '../plant/store'
import { useSearch } from '../plant/useSearch'
import { useBar, type Command } from './bar'
import HitList from './HitList.vue'
import { seek } from './seek'
import { useDark } from '../theme/useDark'

const bar = useBar()
const plant = usePlant()
const { dark, turn } = useDark()
const { findRows } = useSearch()
const text = ref('')
const list = ref<InstanceType<typeof HitList> | null>(null)

const everywhere = computed<Command[]>(() => [
  { says: 'find points, findings, modules, cables, pages', keys: '/', run: () => bar.focus() },
  ...(plant.may('edit')
    ? [
        { says: 'undo my last change', keys: 'Ctrl+Z', run: () => plant.turnBack('undo') },
        { says: 'redo it', keys: 'Ctrl+Y', run: () => plant.turnBack('redo') },
      ]
    : []),
  { says: dark.value ? 'light colours' : 'dark colours', run: turn },
  { says: 'show the first steps again', run: () => bar.tour++ },
])
const hits = computed(() =>
  bar.palette
    ? seek(text.value, plant, (query) => findRows(query), [...bar.commands, ...everywhere.value])
    : [],
)
watch(
  () => bar.palette,
  () => (text.value = ''),
)
</script>

<template>
  <v-dialog v-model="bar.palette" max-width="560" aria-label="what one can do">
    <v-card>
      <v-text-field
        v-model="text"
        class="asked"
        autofocus
        placeholder="what to do, or where to go"
        aria-label="what to do, or where to go"
        @keydown="list?.key($event)"
      />
      <HitList ref="list" :hits="hits" @picked="bar.palette = false" />
    </v-card>
  </v-dialog>
</template>

<style scoped>
.asked {
  padding: 8px 8px 0;
}
</style>
