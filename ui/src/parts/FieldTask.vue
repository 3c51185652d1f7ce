<script setup lang="ts">
/**
 * A way that speaks of the plant, put on the punch list: somebody goes there, by a day, and the list changes once he says
 * that it is done.
 */
import { ref } from 'vue'
import { ask, api, said } from '../api/client'
import DateField from '../kit/DateField.vue'
import DenseField from '../kit/DenseField.vue'
import type { Finding } from '../plant/columns'
import { usePlant } from '../plant/store'
import type { Way } from '../plant/useWays'
import { useEscape } from '../plant/escape'

const props = defineProps<{ way: Way; finding: Finding }>()
const plant = usePlant()
const open = ref(false)
const owner = ref('')
const due = ref('')
const says = ref('')
const busy = ref(false)
const box = ref<HTMLElement | null>(null)
useEscape(() => open.value, () => (open.value = false), box) // prettier-ignore
const SEVERITY = { bad: 'A', settle: 'B', note: 'C' } as const

async function put() {
  busy.value = true
  const { finding, way } = props
  const edits = way.edits.map((edit) => ({
    ...edit,
    was: plant.list.text(edit.field, plant.list.row(edit.point) ?? -1),
  }))
  const what = `${way.label}: ${finding.text}`.slice(0, 1000)
  const severity = SEVERITY[finding.severity as keyof typeof SEVERITY] ?? 'B'
  const point = edits[0]!.point
  const answer = await ask(
    api.POST('/api/punches', {
      body: { point, place: '', what, severity, owner: owner.value, due: due.value, rule: finding.rule, edits, photo: '' },
    }),
  ) // prettier-ignore
  busy.value = false
  if (answer.problem) return void (says.value = said(answer.problem))
  open.value = false
  plant.say(`item ${answer.data.id} of the punch list: the list changes when it is said to be mended`)
}
</script>

<template>
  <v-btn v-if="!open" class="mini" @click="open = true">to be done in the field …</v-btn>
  <form v-else ref="box" class="task" @submit.prevent="put">
    <p class="small">
      “{{ way.label }}” is done there first; the list says so once whoever did it says that it is mended.
    </p>
    <div class="line">
      <DenseField
        v-model="owner"
        size="14"
        maxlength="80"
        placeholder="who does it"
        aria-label="who does it"
        autofocus
      />
      <DateField v-model="due" placeholder="by 2027-03-15" aria-label="by which day" />
      <v-btn type="submit" class="act main" :disabled="busy">on the punch list</v-btn>
      <v-btn class="act" @click="open = false">leave it</v-btn>
    </div>
    <p v-if="says" class="bad small" role="alert">■ {{ says }}</p>
  </form>
</template>

<style scoped>
.task {
  display: grid;
  gap: 4px;
  width: 100%;
}

.line {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
}

p {
  margin: 0;
}
</style>
