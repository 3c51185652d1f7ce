<script setup lang="ts">
/** Channels of a module that are not all alike: inputs beside outputs, analog beside discrete, each with its ways and
 * its terminals. */
import FormPart from '../../kit/FormPart.vue'
import ChoiceField from '../../kit/ChoiceField.vue'
import DenseField from '../../kit/DenseField.vue'
import { ROLES, type GroupBody, type TypeBody } from './typeBody'

const body = defineModel<TypeBody>({ required: true })

function another() {
  const groups = (body.value.groups ??= [])
  const first = groups.reduce((end, g) => Math.max(end, g.first + g.count), 0)
  groups.push({ first, count: Math.max(1, body.value.channels - first), direction: 'in', modes: [], terminals: [] }) // prettier-ignore
}

function turn(group: GroupBody, mode: string) {
  group.modes = group.modes.includes(mode) ? group.modes.filter((m) => m !== mode) : [...group.modes, mode]
}
</script>

<template>
  <FormPart title="channels that are not all alike" class="flow">
    <p v-if="!body.groups?.length" class="quiet small">every channel is like the others</p>
    <div v-for="(g, i) in body.groups" :key="i" class="group">
      <label
        >channels from
        <DenseField
          :model-value="g.first + 1"
          type="number"
          min="1"
          :max="body.channels"
          @update:model-value="g.first = Number($event) - 1"
      /></label>
      <label>how many <DenseField v-model.number="g.count" type="number" min="1" max="64" /></label>
      <label>called <DenseField v-model="g.name" class="name" placeholder="inputs" /></label>
      <label
        >they
        <ChoiceField
          v-model="g.direction"
          aria-label="they listen or drive"
          :items="[
            { value: 'in', title: 'listen' },
            { value: 'out', title: 'drive' },
          ]"
      /></label>
      <label
        >common at
        <ChoiceField
          :model-value="g.common ?? ''"
          aria-label="common of the group"
          :items="[{ value: '', title: 'none' }, '0 V', '24 V']"
          @update:model-value="g.common = $event"
      /></label>
      <v-checkbox v-model="g.feeds_loop" label="they feed loops" />
      <span class="ways">
        <span class="small">ways, none for all:</span>
        <v-checkbox
          v-for="m in body.modes"
          :key="m.name"
          :model-value="g.modes.includes(m.name)"
          :label="m.name"
          @update:model-value="turn(g, m.name)"
        />
      </span>
      <span v-for="(t, n) in g.terminals" :key="n" class="piece">
        <DenseField v-model="t.mark" class="figure mark" :aria-label="`mark of terminal ${n + 1}`" />
        <ChoiceField v-model="t.role" :aria-label="`role of terminal ${n + 1}`" :items="ROLES" />
        <v-btn class="act" :aria-label="`terminal ${n + 1} away`" @click="g.terminals.splice(n, 1)">×</v-btn>
      </span>
      <v-btn class="act" @click="g.terminals.push({ mark: '{n}', role: 'plus' })"
        >a terminal of their own</v-btn
      >
      <label v-if="g.terminals.length"
        >first number <DenseField v-model.number="g.first_terminal" type="number" min="0" placeholder="1"
      /></label>
      <v-btn class="act" :aria-label="`group ${i + 1} away`" @click="body.groups!.splice(i, 1)">away</v-btn>
    </div>
    <v-btn class="act" @click="another">channels of another kind</v-btn>
  </FormPart>
</template>

<style scoped>
.flow,
.group,
.ways,
.piece {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: center;
}

.group {
  width: 100%;
  padding: 6px 8px;
  border-left: 4px solid rgb(var(--v-theme-duct));
  background: rgb(var(--v-theme-bar));
}

label {
  font-size: 12px;
}

.group :deep(input[type='number']) {
  width: 64px;
}

p {
  margin: 0;
}
</style>
