<script setup lang="ts">
/** A finding in words, with its fixes: each is previewed before it is done. */
import { ref, watch } from 'vue'
import { ask, api, type Schemas } from '../api/client'
import type { Finding } from '../plant/columns'
import { usePlant } from '../plant/store'
import { asTyped } from '../plant/words'

const props = defineProps<{ finding: Finding }>()
const plant = usePlant()
const preview = ref<{ label: string; does: Schemas['ChangedOut']; edits: Schemas['EditIn'][] } | null>(null)

watch(
  () => `${props.finding.key} ${props.finding.text}`,
  () => (preview.value = null),
)

async function look(fix: Finding['fixes'][number]) {
  const edits = fix.edits.map(({ point, field, text }) => ({
    point,
    field,
    was: plant.list.text(field, plant.list.row(point) ?? -1),
    text,
  }))
  const source = `fix ${props.finding.rule}`
  const answer = await ask(
    api.POST('/api/proposals', { body: { edits, source, why: fix.label, apply: false } }),
  )
  if (answer.problem) plant.say(answer.problem.title, 'bad')
  else preview.value = { label: fix.label, does: answer.data, edits }
}

async function settle() {
  if (!preview.value) return
  const { edits, label } = preview.value
  preview.value = null
  if (!(await plant.save(edits, `fix ${props.finding.rule}`))) plant.say(`done: ${label} · Ctrl+Z undoes it`)
}

const name = (field: string) => {
  const found = plant.plant?.fields.find((f) => f.name === field)
  return found ? `${found.station.toLowerCase()} ${found.label}` : field
}
const tag = (point: number) => plant.list.text('tag', plant.list.row(point) ?? -1)
</script>

<template>
  <div class="finding" :class="finding.severity">
    <p>
      <span aria-hidden="true">{{ finding.severity === 'bad' ? '■' : '▲' }}</span> {{ finding.text }}
      <span class="quiet small">{{ plant.plant?.rules[finding.rule] }} · {{ finding.rule }}</span>
    </p>
    <p v-if="!preview && plant.may('edit')" class="ways">
      <button v-for="fix in finding.fixes" :key="fix.label" class="act" type="button" @click="look(fix)">
        {{ fix.label }}
      </button>
    </p>
    <div v-else-if="preview" class="preview">
      <p>
        would change
        <template v-for="(cell, i) in preview.does.cells" :key="cell.field + cell.point"
          >{{ i ? ', ' : '' }}{{ tag(cell.point) }} {{ name(cell.field) }}
          <span class="figure"
            >{{ asTyped(cell.was) || 'empty' }} → {{ asTyped(cell.becomes) || 'empty' }}</span
          ></template
        >
        <template v-for="move in preview.does.moved" :key="move.point">
          · at {{ move.at }} the list shows
          <span class="figure">{{ move.was }} → {{ move.becomes }}</span></template
        >
        · settles {{ preview.does.closed.length
        }}<template v-if="preview.does.opened.length">, raises {{ preview.does.opened.length }}</template>
      </p>
      <p class="ways">
        <button class="act main" type="button" @click="settle">do it</button>
        <button class="act" type="button" @click="preview = null">leave it</button>
      </p>
    </div>
  </div>
</template>

<style scoped>
p {
  margin: 0 0 4px;
}

.finding.settle > p:first-child > span:first-child {
  color: rgb(var(--v-theme-settle));
}

.finding.bad > p:first-child > span:first-child {
  color: rgb(var(--v-theme-bad));
}

.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
</style>
