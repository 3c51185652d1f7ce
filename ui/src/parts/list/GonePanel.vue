<script setup lang="ts">
/** Points to take away: what goes with them, before it is done. */
import { computed, nextTick, onMounted, ref, shallowRef, watch } from 'vue'
import { ask, api, type Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import PanelHead from './PanelHead.vue'
import { focusOn, type Focusable } from '../../kit/focus'

const props = defineProps<{ points: number[] }>()
const emit = defineEmits<{ shut: [] }>()
const plant = usePlant()
const would = shallowRef<Schemas['ChangedOut'] | null>(null)
const says = ref('')
const button = ref<Focusable | null>(null)
const tags = computed(() => props.points.map((point) => plant.list.text('tag', plant.list.row(point) ?? -1)))
const landed = computed(
  () => props.points.filter((p) => plant.list.text('channel', plant.list.row(p) ?? -1)).length,
)
const tripping = computed(() =>
  props.points
    .filter((p) => plant.list.text('trips', plant.list.row(p) ?? -1))
    .map((p) => plant.list.text('tag', plant.list.row(p) ?? -1)),
)

async function look() {
  would.value = null
  const answer = await ask(api.POST('/api/points/remove', { body: { points: props.points, apply: false } }))
  if (answer.problem) return (says.value = answer.problem.title)
  says.value = ''
  would.value = answer.data
  void nextTick(() => focusOn(button.value))
}
watch(() => props.points, look)
onMounted(look)

async function go() {
  const many = props.points.length
  const answer = await ask(api.POST('/api/points/remove', { body: { points: props.points, apply: true } }))
  if (answer.problem) return (says.value = `${answer.problem.title} · ${answer.problem.remedy}`)
  plant.answered(answer.data, [])
  plant.say(`${many === 1 ? `${tags.value[0]} is` : `${many} points are`} gone`, 'plain', { undo: true })
  emit('shut')
}
</script>

<template>
  <PanelHead
    :title="points.length === 1 ? `take ${tags[0]} away` : `take ${points.length} points away`"
    @shut="emit('shut')"
  />
  <p v-if="says" class="bad" role="alert"><span aria-hidden="true">■</span> {{ says }}</p>
  <template v-if="would">
    <p class="figure small">
      {{ tags.slice(0, 12).join(', ') }}{{ tags.length > 12 ? ` and ${tags.length - 12} more` : '' }}
    </p>
    <p v-if="landed">{{ landed }} of them hold{{ landed === 1 ? 's' : '' }} a channel, which becomes free</p>
    <p v-if="tripping.length" class="settle">
      ▲ {{ tripping.slice(0, 6).join(', ') }} can trip something: see “shuts”
    </p>
    <p v-for="cell in would.cells.slice(0, 6)" :key="cell.point" class="small">
      {{ plant.list.text('tag', plant.list.row(cell.point) ?? -1) }} gets the channel {{ cell.becomes }}
    </p>
    <p v-if="would.closed.length" class="small">{{ would.closed.length }} findings go with them</p>
    <p v-for="finding in would.opened.slice(0, 4)" :key="finding.key" class="small settle">
      ▲ {{ finding.text }}
    </p>
    <p class="keys">
      <v-btn ref="button" class="act main" @click="go">take away</v-btn>
      <v-btn class="act" @click="emit('shut')">keep</v-btn>
    </p>
    <p class="small quiet">history keeps every cell of them</p>
  </template>
</template>
