<script setup lang="ts">
/** The type held against the real thing: what its map makes of a device's registers, and what would mend it. */
import { computed, ref, shallowRef } from 'vue'
import { useStorage } from '@vueuse/core'
import { api, ask, said, type Schemas } from '../../api/client'
import ChoiceField from '../../kit/ChoiceField.vue'
import DenseField from '../../kit/DenseField.vue'
import { mended, tidied, type TypeBody } from './typeBody'

const body = defineModel<TypeBody>({ required: true })
const LINKS = ['Modbus TCP', 'Modbus RTU over TCP', 'Modbus ASCII over TCP', 'Modbus RTU', 'Modbus ASCII'] as const // prettier-ignore
const where = useStorage('canaleta-try', {
  link: 'Modbus TCP',
  host: '',
  port: 502,
  unit: 1,
  line: '19200 8E1',
})
const mode = ref('')
const found = shallowRef<Schemas['TypeTriedOut'] | null>(null)
const wrong = ref('')
const busy = ref(false)
const onPort = computed(() => !where.value.link.includes('TCP'))
const modes = computed(() => [{ value: '', title: 'the first way' }, ...body.value.modes.map((m) => m.name)])

async function look() {
  busy.value = true
  wrong.value = ''
  const { link, ...rest } = where.value
  const asked = { ...rest, link: link as (typeof LINKS)[number], mode: mode.value, body: tidied(body.value) as never } // prettier-ignore
  const answer = await ask(api.POST('/api/module-types/try', { body: asked }))
  busy.value = false
  found.value = answer.data ?? null
  if (answer.problem) wrong.value = said(answer.problem)
}

async function mend(doubt: Schemas['DoubtOut']) {
  body.value = mended(body.value, doubt)
  await look()
}
</script>

<template>
  <section class="try">
    <h3>try it against the real thing</h3>
    <p class="small quiet">It reads what the map names, and writes nothing.</p>
    <label>reached by <ChoiceField v-model="where.link" :items="LINKS" aria-label="reached by" /></label>
    <label
      >{{ onPort ? 'serial port' : 'address' }}
      <DenseField
        v-model.trim="where.host"
        class="figure"
        :placeholder="onPort ? '/dev/ttyUSB0' : '192.168.10.21'"
    /></label>
    <label v-if="onPort">line <DenseField v-model="where.line" class="figure" /></label>
    <label v-else
      >port <DenseField v-model.number="where.port" class="few" type="number" min="1" max="65535"
    /></label>
    <label>unit <DenseField v-model.number="where.unit" class="few" type="number" min="0" max="255" /></label>
    <label v-if="body.modes.length > 1"
      >the channels work as <ChoiceField v-model="mode" :items="modes" aria-label="the channels work as"
    /></label>
    <p class="keys">
      <v-btn class="act main" :disabled="!where.host || busy" :loading="busy" @click="look">try it</v-btn>
    </p>
    <p v-if="wrong" class="bad small" role="alert">■ {{ wrong }}</p>
    <template v-if="found">
      <p role="status">
        {{ found.right }} of {{ found.of }} channels show what can be right<template v-if="found.says"
          >; then {{ found.says }}</template
        >
      </p>
      <p v-for="doubt in found.doubts" :key="doubt.says" class="settle small">
        ▲ {{ doubt.says }}
        <v-btn class="act" :aria-label="`mend it: ${doubt.says}`" @click="mend(doubt)">mend it</v-btn>
      </p>
      <table>
        <tbody>
          <tr v-for="(line, i) in found.lines" :key="i" :class="line.state">
            <td class="figure">
              {{ line.place }}<template v-if="line.bit >= 0">.{{ line.bit }}</template>
            </td>
            <td class="small">{{ line.channel >= 0 ? line.channel + 1 : '' }} {{ line.says }}</td>
            <td class="figure quiet">{{ line.raw }}</td>
            <td class="figure"><span v-if="line.state" aria-hidden="true">▲ </span>{{ line.means }}</td>
          </tr>
        </tbody>
      </table>
    </template>
  </section>
</template>

<style scoped>
.try {
  margin-top: 14px;
  padding-top: 8px;
  border-top: 1px solid rgb(var(--v-theme-line));
  font-size: 12px;
}

h3 {
  margin: 0 0 2px;
  font-size: 12px;
}

p {
  margin: 4px 0;
}

label {
  display: inline-block;
  margin: 2px 10px 2px 0;
}

.try :deep(.few) {
  width: 62px;
}

table {
  width: 100%;
  border-collapse: collapse;
}

td {
  padding: 1px 4px;
  text-align: left;
  vertical-align: top;
}

.settle td,
.refused td {
  color: rgb(var(--v-theme-settle));
}

.bad {
  color: rgb(var(--v-theme-bad));
}
</style>
