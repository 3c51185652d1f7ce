<script setup lang="ts">
/** Locking a row while one works on the point: why, and who else may lift it. */
import { computed, onMounted, ref, watch } from 'vue'
import { ask, api } from '../../api/client'
import { usePlant } from '../../plant/store'
import { clock } from '../../plant/words'
import PanelHead from './PanelHead.vue'
import DenseField from '../../kit/DenseField.vue'
import type { FieldHandle } from '../../kit/focus'

const props = defineProps<{ point: number }>()
const emit = defineEmits<{ shut: [] }>()
const plant = usePlant()
const why = ref('')
const mayLift = ref('')
const says = ref('')
const input = ref<FieldHandle | null>(null)
const tag = computed(() => plant.list.text('tag', plant.list.row(props.point) ?? -1))
const lock = computed(() => plant.locks.get(props.point))
const mine = computed(() => {
  const me = plant.session
  return [lock.value?.who, lock.value?.may_lift].includes(me?.account) || me?.role === 'administrator'
})
onMounted(() => input.value?.focus())
watch(() => props.point, () => (says.value = '')) // prettier-ignore

async function put() {
  const answer = await ask(
    api.PUT('/api/points/{point}/lock', {
      params: { path: { point: props.point } },
      body: { why: why.value, may_lift: mayLift.value.trim() },
    }),
  )
  if (answer.problem) return (says.value = answer.problem.title)
  plant.setLocks(answer.data.locks)
  emit('shut')
}

async function lift() {
  const answer = await ask(
    api.DELETE('/api/points/{point}/lock', { params: { path: { point: props.point } } }),
  )
  if (answer.problem) return (says.value = answer.problem.title)
  plant.setLocks(answer.data.locks)
  emit('shut')
}
</script>

<template>
  <PanelHead :title="lock ? `${tag} is locked` : `lock ${tag}`" @shut="emit('shut')" />
  <p v-if="says" class="bad" role="alert"><span aria-hidden="true">■</span> {{ says }}</p>
  <template v-if="lock">
    <p>{{ lock.who }}, {{ clock(lock.at) }}: {{ lock.why }}</p>
    <p class="small quiet">
      {{ lock.may_lift ? `${lock.may_lift} may lift it too, and` : '' }} an administrator always may
    </p>
    <p class="keys">
      <v-btn v-if="mine" class="act main" @click="lift">lift the lock</v-btn>
    </p>
  </template>
  <form v-else @submit.prevent="put">
    <p class="small quiet">Until it is lifted, nobody but you changes this row.</p>
    <p class="field">
      <span>why</span
      ><DenseField
        ref="input"
        v-model="why"
        class="setting"
        maxlength="200"
        placeholder="loop test"
        aria-label="why"
      />
    </p>
    <p class="field">
      <span>may lift it</span
      ><DenseField
        v-model="mayLift"
        class="setting"
        maxlength="40"
        placeholder="an account, or nobody"
        aria-label="who else may lift it"
      />
    </p>
    <v-btn type="submit" class="act main" :disabled="!why.trim()">lock</v-btn>
  </form>
</template>
