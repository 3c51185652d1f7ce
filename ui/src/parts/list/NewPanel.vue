<script setup lang="ts">
/** New points: how many, their first tag and channel, from a typical or like the chosen one; seen before they are made. */
import { watchDebounced } from '@vueuse/core'
import { computed, nextTick, onMounted, ref, shallowRef } from 'vue'
import { ask, api, type Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import PanelHead from './PanelHead.vue'
import TagLetters from './TagLetters.vue'
import DenseField from '../../kit/DenseField.vue'
import ChoiceField from '../../kit/ChoiceField.vue'
import type { FieldHandle } from '../../kit/focus'

const props = defineProps<{ chosen: number | null; pasted: Record<string, string>[] }>()
const emit = defineEmits<{ made: [points: number[]]; shut: [] }>()
const plant = usePlant()
const count = ref(1)
const tag = ref('')
const from = ref('')
const channel = ref('')
const service = ref('')
const typicals = shallowRef<Schemas['TypicalOut'][]>([])
const would = shallowRef<Schemas['NewOut'] | null>(null)
const says = ref('')
const busy = ref(false)
const first = ref<FieldHandle | null>(null)
const tagField = ref<FieldHandle | null>(null)

const rowOf = (point: number | null) => (point === null ? -1 : (plant.list.row(point) ?? -1))
const likeTag = computed(() => plant.list.text('tag', rowOf(props.chosen)))
const body = computed<Schemas['NewIn']>(() => {
  const cells: Record<string, string> = {}
  if (tag.value.trim()) cells.tag = tag.value.trim()
  if (channel.value.trim()) cells.channel = channel.value.trim()
  if (service.value.trim()) cells.service = service.value.trim()
  const typical = from.value.startsWith('typical ') ? from.value.slice(8) : ''
  const like = from.value === 'like' ? props.chosen : null
  return props.pasted.length
    ? { count: 0, rows: props.pasted, cells: {}, like, typical, apply: true }
    : { count: count.value, rows: [], cells, like, typical, apply: true }
})

onMounted(async () => {
  first.value?.focus()
  if (!props.pasted.length) await nextTag()
  const answer = await ask(api.GET('/api/typicals'))
  if (answer.data) typicals.value = answer.data.typicals
})

/** The next tag after the chosen one, as a start. */
async function nextTag() {
  if (!likeTag.value || !/\d/.test(likeTag.value)) return
  const answer = await ask(
    api.POST('/api/series', { body: { field: 'tag', texts: [likeTag.value], count: 1 } }),
  )
  if (!answer.data || tag.value) return
  tag.value = answer.data.texts[0]!
  // Who has come to the field already types over the suggestion, not behind it.
  await nextTick()
  if (tagField.value?.focused()) tagField.value.select()
}

watchDebounced(body, look, { debounce: 200, immediate: true })

let asked = 0
async function look() {
  const mine = ++asked
  const answer = await ask(api.POST('/api/points/preview', { body: body.value }))
  if (mine !== asked) return
  says.value = answer.problem?.title ?? ''
  would.value = answer.data ?? null
}

async function make() {
  if (busy.value) return
  busy.value = true
  const answer = await ask(api.POST('/api/points', { body: body.value }))
  busy.value = false
  if (answer.problem) return (says.value = answer.problem.title)
  plant.answered(answer.data, [])
  plant.leftOut(
    answer.data.left ?? [],
    (answer.data.left ?? []).map((cell) => ({ ...cell, was: '', text: cell.typed })),
  )
  const points = (answer.data.change?.added ?? []).map((row) => row.id)
  if (!answer.data.left?.length)
    plant.say(`${points.length} point${points.length === 1 ? '' : 's'} made · Ctrl+Z takes them back`)
  emit('made', points)
}
const tags = computed(
  () => new Set([...plant.list.rows()].map((row) => plant.list.text('tag', row).toLowerCase())),
)
const taken = computed(() =>
  (would.value?.rows ?? []).filter((row) => tags.value.has((row.tag ?? '').toLowerCase())),
)
</script>

<template>
  <PanelHead
    :title="pasted.length ? `${pasted.length} lines below the last row` : 'new points'"
    @shut="emit('shut')"
  />
  <form @submit.prevent="make">
    <template v-if="!pasted.length">
      <p class="field">
        <span>how many</span
        ><DenseField
          ref="first"
          v-model.number="count"
          type="number"
          min="1"
          max="5000"
          aria-label="how many"
        />
      </p>
      <p class="field">
        <span>first tag</span
        ><DenseField
          ref="tagField"
          v-model="tag"
          class="setting figure"
          placeholder="PT-3101"
          aria-label="first tag"
        />
      </p>
      <TagLetters @tag="tag = $event" />
      <p class="field">
        <span>first channel</span
        ><DenseField
          v-model="channel"
          class="setting figure"
          placeholder="none yet"
          aria-label="first channel"
        />
      </p>
      <p class="field">
        <span>service</span
        ><DenseField v-model="service" class="setting" placeholder="for all of them" aria-label="service" />
      </p>
    </template>
    <p class="field">
      <span>filled in</span>
      <ChoiceField
        v-model="from"
        aria-label="filled in from"
        :items="[
          { value: '', title: 'with nothing' },
          ...(likeTag ? [{ value: 'like', title: `like ${likeTag}` }] : []),
          ...typicals.map((one) => ({ value: `typical ${one.name}`, title: `typical: ${one.name}` })),
        ]"
      />
    </p>
    <p v-if="says" class="bad" role="alert"><span aria-hidden="true">■</span> {{ says }}</p>
    <p v-if="taken.length" class="settle small">
      ▲ {{ taken.length }} of these tags are in the list already:
      {{
        taken
          .slice(0, 3)
          .map((row) => row.tag)
          .join(', ')
      }}
    </p>
    <p class="keys">
      <v-btn type="submit" class="act main" :disabled="busy || !!says || !would">
        {{ busy ? 'one moment…' : `make ${would?.rows.length ?? count}` }}
      </v-btn>
    </p>
  </form>
  <template v-if="would">
    <p
      v-for="trouble in would.troubles.slice(0, 5)"
      :key="`${trouble.row}${trouble.field}`"
      class="small bad"
    >
      <span class="figure">{{ would.rows[trouble.row]?.tag }}</span> {{ trouble.says }}; the cell stays empty
    </p>
    <ul class="small">
      <li v-for="(row, i) in would.rows.slice(0, 40)" :key="i">
        <span class="figure">{{ row.tag }}</span> {{ row.channel }}
        <span class="quiet">{{ row.service }}</span>
      </li>
      <li v-if="would.rows.length > 40" class="quiet">and {{ would.rows.length - 40 }} more</li>
    </ul>
  </template>
</template>
