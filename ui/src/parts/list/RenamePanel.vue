<script setup lang="ts">
/** A rename, before it is done: where else the old name stands, in texts of this and other points. */
import { computed, onMounted, ref } from 'vue'
import type { Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import { useViews } from '../../plant/views'
import { mentions } from '../../plant/rename'
import PanelHead from './PanelHead.vue'
import { focusOn, type Focusable } from '../../kit/focus'

const props = defineProps<{ rename: { point: number; was: string; text: string } }>()
const emit = defineEmits<{ shut: [] }>()
const plant = usePlant()
const views = useViews()
const main = ref<Focusable | null>(null)
const found = computed(() => (void plant.list.version, mentions(plant.list, props.rename, plant.waiting)))
const meaning = computed(() => plant.list.text('meaning', plant.list.row(props.rename.point) ?? -1))
onMounted(() => focusOn(main.value))

async function go(also: boolean) {
  const { point, was, text } = props.rename
  const edits: Schemas['EditIn'][] = [{ point, field: 'tag', was, text }]
  // A text that is still on its way is changed when it is there.
  await plant.answeredAll()
  if (also)
    for (const { row, field, text } of found.value)
      edits.push({ point: plant.list.ids[row]!, field, was: plant.list.text(field, row), text })
  if (!(await plant.save(edits, 'renamed', also)))
    plant.say(
      `${was} is ${text} now${also ? `, also in ${found.value.length || edits.length - 1} texts` : ''} · Ctrl+Z takes it back`,
    )
  emit('shut')
}
</script>

<template>
  <PanelHead :title="`${rename.was} becomes ${rename.text}`" @shut="emit('shut')" />
  <p class="small quiet">its letters said: {{ meaning || 'nothing known' }}</p>
  <p>
    The name also stands in {{ found.length }} text{{ found.length === 1 ? '' : 's' }}. History, issues and
    test records keep the old one.
  </p>
  <p v-for="one in found.slice(0, 30)" :key="`${one.row}${one.field}`" class="small">
    <span class="figure">{{ plant.list.text('tag', one.row) }}</span>
    {{ views.fields.get(one.field)?.label }}: <s class="quiet">{{ one.was }}</s> {{ one.text }}
  </p>
  <p v-if="found.length > 30" class="small quiet">and {{ found.length - 30 }} more</p>
  <p class="keys">
    <v-btn ref="main" class="act main" @click="go(true)">rename, and there too</v-btn>
    <v-btn class="act" @click="go(false)">rename alone</v-btn>
    <v-btn class="act" @click="emit('shut')">leave it</v-btn>
  </p>
</template>
