<script setup lang="ts">
/** One module: its counts, loads and addresses, and what can be done with it. */
import { ref, watch } from 'vue'
import type { Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import type { Operation } from '../../plant/useHardware'
import LoadBar from './LoadBar.vue'
import ChoiceField from '../../kit/ChoiceField.vue'

const props = defineProps<{
  module: Schemas['ModuleOut']
  types: Schemas['TypeOut'][]
  place: number
  rack: number
}>()
const emit = defineEmits<{ propose: [title: string, operations: Operation[]] }>()
const plant = usePlant()
const other = ref('')
const beside = ref('')
watch(
  () => props.module.module,
  () => (other.value = beside.value = ''),
)
const text = (point: number) => plant.list.text('tag', plant.list.row(point) ?? -1)
const propose = (title: string, operation: Operation) => emit('propose', title, [operation])
const titled = (key: string) => props.types.find((t) => t.key === key)?.title ?? key
</script>

<template>
  <section class="panel side">
    <h2>{{ module.slot ? `slot ${module.slot} · ` : '' }}{{ module.title }}</h2>
    <p class="quiet small">{{ module.summary }}</p>
    <template v-if="module.channels.length">
      <p class="small">
        {{ module.count.used }} of {{ module.count.channels }} channels used; {{ module.count.free }} free,
        {{ module.count.spare }} spare by policy, {{ module.count.wired }} wired spare
      </p>
      <LoadBar v-for="load in module.loads" :key="load.name" :load="load" />
      <p class="quiet small">
        {{ module.heat_w }} W of heat · input registers from {{ module.first_register }}, settings from
        {{ module.first_setting }} (from 0)
      </p>
      <div class="addresses">
        <table>
          <thead>
            <tr>
              <th>channel</th>
              <th>terminals</th>
              <th>address</th>
              <th></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="c in module.channels" :key="c.channel" v-tip="c.register_at">
              <td class="figure">{{ c.address.split('·').at(-1) }} {{ c.point ? text(c.point) : '' }}</td>
              <td class="figure">{{ c.terminals.join(' ') }}</td>
              <td class="figure">{{ c.direct }}</td>
              <td>
                <v-btn
                  v-if="!c.point && plant.may('engineer')"
                  class="link"
                  @click="
                    propose(c.wired ? `${c.address} is not wired` : `${c.address} is a wired spare`, {
                      do: 'wire',
                      module: module.module,
                      channel: c.channel,
                      wired: !c.wired,
                    })
                  "
                >
                  {{ c.wired ? 'not wired' : 'wired' }}
                </v-btn>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
    </template>
    <template v-if="plant.may('engineer')">
      <label class="small"
        >another type in this place
        <ChoiceField
          v-model="other"
          :items="[
            { value: '', title: '…' },
            ...types.map((t) => ({ value: t.key, title: `${t.title}: ${t.summary}` })),
          ]"
          @update:model-value="
            propose(`${module.title} becomes ${titled(other)}`, {
              do: 'replace module',
              module: module.module,
              type: other,
            })
          "
      /></label>
      <label class="small"
        >put one to the right
        <ChoiceField
          v-model="beside"
          :items="[
            { value: '', title: '…' },
            ...types.map((t) => ({ value: t.key, title: `${t.title}: ${t.summary}` })),
          ]"
          @update:model-value="
            propose(`${titled(beside)} into the rack`, {
              do: 'add module',
              rack,
              type: beside,
              place: place + 1,
            })
          "
      /></label>
      <p class="keys">
        <v-btn
          class="act"
          @click="propose(`${module.title} goes out`, { do: 'remove module', module: module.module })"
        >
          take it out
        </v-btn>
        <router-link class="act" :to="`/types/${module.type}`">its type</router-link>
      </p>
    </template>
  </section>
</template>

<style scoped>
label {
  display: block;
  margin-bottom: 6px;
}

.addresses {
  max-height: 240px;
  margin-bottom: 8px;
  overflow: auto;
}

table {
  width: 100%;
  font-size: 11px;
  border-collapse: collapse;
}

th {
  color: rgb(var(--v-theme-quiet));
  font-weight: 400;
  text-align: left;
}

td {
  padding: 1px 6px 1px 0;
  border-bottom: 1px solid rgb(var(--v-theme-line));
}

select {
  width: 100%;
}

.link {
  border: 0;
  background: none;
  color: rgb(var(--v-theme-copper));
  font: inherit;
  cursor: pointer;
}
</style>
