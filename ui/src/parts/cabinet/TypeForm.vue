<script setup lang="ts">
/** The lines of a manual, in the order a manual has them. What follows from others is filled in. */
import { computed, ref, watch } from 'vue'
import { blankMode, FAMILIES, keyOf, registersFor, ROLES, type ModeBody, type TypeBody } from './typeBody'
import { modeFields, TYPE_FIELDS } from './typeFields'
import { KINDS, proposed, type Kind } from './typeKinds'
import TypeFields from './TypeFields.vue'
import TypeGroups from './TypeGroups.vue'
import TypeFirmware from './TypeFirmware.vue'
import TypeSettings from './TypeSettings.vue'
import FormPart from '../../kit/FormPart.vue'
import ManualPaste from './ManualPaste.vue'
import TypeMap from './TypeMap.vue'
import DenseField from '../../kit/DenseField.vue'
import ChoiceField from '../../kit/ChoiceField.vue'
import { each } from '../../kit/each'

const body = defineModel<TypeBody>({ required: true })
defineProps<{ fixedKey: boolean }>()
const LETTERS = ['A', 'B', 'C', 'E', 'J', 'K', 'N', 'R', 'S', 'T']
const ELEMENTS = ['pt100', 'pt500', 'pt1000', 'pt100-3916', 'pt100-3910', 'ni100', 'ni1000', 'ni120', 'ni100-617', 'cu10', 'cu50', 'cu100', 'cu50-426', 'cu100-426'] // prettier-ignore
const has = computed(() => ({
  status: body.value.registers.some((r) => r.holds === 'status bits'),
  cold: body.value.registers.some((r) => r.holds === 'cold junction'),
}))
watch(
  () => [body.value.channels, body.value.word?.bits, body.value.modes.map((m) => m.family).join()],
  () => (body.value.registers = registersFor(body.value)),
)

function turnRegister(holds: string, on: boolean) {
  const rest = body.value.registers.filter((r) => r.holds !== holds)
  body.value.registers = registersFor({
    ...body.value,
    registers: on ? [...rest, { holds, count: 1 }] : rest,
  })
  if (holds === 'status bits') body.value.status = on ? { bit_base: 0, one_means: 'fault' } : null
}

const begun = ref('')
/** The form as a module of this kind usually is; what was typed of its name stays. */
function begin(kind: Kind) {
  begun.value = kind.name
  const { title, summary, key, numbering } = body.value
  body.value = { ...proposed(kind), title, summary, key, numbering }
}

function family(mode: ModeBody) {
  mode.signal_unit = FAMILIES[mode.family]!.units[0]!
  mode.curve = mode.family === 'thermocouple' ? 'K' : mode.family === 'resistance' ? 'pt100' : ''
  if (mode.family === 'contact') Object.assign(mode, { signal: { low: 0, high: 24 }, counts: { low: 0, high: 1 }, off_below_v: 5, on_from_v: 11, name: '24 V DC', burden_ohm: '' }) // prettier-ignore
  else if (mode.curve) Object.assign(mode, { signal: { low: 0, high: 100 }, counts: { low: 0, high: 1000 }, least: -2000, most: 8500, burden_ohm: '', name: `${mode.curve}, 0.1 °C` }) // prettier-ignore
}

const open = (name: string) => (body.value.open_choices ?? []).includes(name)
function turnOpen(name: string) {
  body.value.open_choices = open(name)
    ? (body.value.open_choices ?? []).filter((n) => n !== name)
    : [...(body.value.open_choices ?? []), name]
}
</script>

<template>
  <form class="form" @submit.prevent>
    <FormPart v-if="!fixedKey" title="what kind of module is it?" class="flow kinds">
      <v-btn
        v-for="kind in KINDS"
        :key="kind.name"
        class="act"
        :aria-pressed="kind.name === begun"
        @click="begin(kind)"
        >{{ kind.title }}</v-btn
      >
    </FormPart>
    <FormPart title="what it is" class="flow">
      <label>title <DenseField v-model="body.title" class="figure" maxlength="80" /></label>
      <label
        >key in files
        <DenseField
          v-model="body.key"
          class="figure"
          :disabled="fixedKey"
          :placeholder="keyOf(body.title)"
          maxlength="80"
      /></label>
      <label class="wide">in a line <DenseField v-model="body.summary" maxlength="300" /></label>
      <label>channels <DenseField v-model.number="body.channels" type="number" min="0" max="64" /></label>
      <label
        >direction
        <ChoiceField
          v-model="body.direction"
          :items="[
            { value: 'in', title: 'in: it measures' },
            { value: 'out', title: 'out: it drives' },
          ]"
      /></label>
      <label
        >common at
        <ChoiceField
          :model-value="body.common ?? ''"
          :items="[{ value: '', title: 'none' }, '0 V', '24 V']"
          @update:model-value="body.common = $event"
      /></label>
      <v-checkbox v-model="body.feeds_loop" label="it feeds loops" />
    </FormPart>
    <ManualPaste v-model="body" />
    <FormPart v-if="body.unconfirmed?.length" title="guessed: is it so?" class="guessed">
      <p v-for="(guess, i) in body.unconfirmed" :key="guess">
        <span class="settle">▲</span> {{ guess }}
        <v-btn class="act" :aria-label="`it is so: ${guess}`" @click="body.unconfirmed!.splice(i, 1)"
          >it is so</v-btn
        >
      </p>
      <v-btn class="act" @click="body.unconfirmed = []">all of it is so</v-btn>
    </FormPart>
    <FormPart title="terminals of each channel, in their order" class="flow">
      <span v-for="(t, i) in body.terminals" :key="i" class="piece">
        <DenseField
          v-model="t.mark"
          class="figure mark"
          :aria-label="`mark of terminal ${i + 1}; {n} counts`"
        />
        <ChoiceField v-model="t.role" :aria-label="`role of terminal ${i + 1}`" :items="ROLES" />
        <v-btn class="act" :aria-label="`terminal ${i + 1} away`" @click="body.terminals.splice(i, 1)">
          ×
        </v-btn>
      </span>
      <v-btn class="act" @click="body.terminals.push({ mark: '{n}', role: 'minus' })"> another </v-btn>
      <label
        >first number <DenseField v-model.number="body.first_terminal" type="number" min="0" placeholder="1"
      /></label>
    </FormPart>
    <FormPart title="ways a channel can work" class="flow">
      <div v-for="(m, i) in body.modes" :key="i" class="mode">
        <label>name <DenseField v-model="m.name" class="figure" maxlength="80" /></label>
        <label
          >kind
          <ChoiceField
            v-model="m.family"
            :items="each(FAMILIES, (f, name) => ({ value: name, title: f.label }))"
            @update:model-value="family(m)"
        /></label>
        <label>unit <ChoiceField v-model="m.signal_unit" :items="FAMILIES[m.family]?.units ?? []" /></label>
        <label v-if="m.family === 'thermocouple' || m.family === 'resistance'"
          >curve
          <ChoiceField
            :model-value="m.curve ?? ''"
            :items="[
              { value: '', title: 'none: plain' },
              ...(m.family === 'thermocouple' ? LETTERS : ELEMENTS),
            ]"
            @update:model-value="m.curve = $event"
        /></label>
        <label>signal from <DenseField v-model.number="m.signal.low" type="number" step="any" /></label>
        <label>to <DenseField v-model.number="m.signal.high" type="number" step="any" /></label>
        <label>counts from <DenseField v-model.number="m.counts.low" type="number" step="any" /></label>
        <label>to <DenseField v-model.number="m.counts.high" type="number" step="any" /></label>
        <label
          >stops at <DenseField v-model="m.least" type="number" step="any" placeholder="the span"
        /></label>
        <label>and at <DenseField v-model="m.most" type="number" step="any" placeholder="the span" /></label>
        <template v-if="m.family === 'linear'">
          <label v-if="m.signal_unit === 'mA'"
            >burden, Ω <DenseField v-model="m.burden_ohm" type="number" min="0" step="any"
          /></label>
          <label v-else>input, Ω <DenseField v-model="m.input_ohm" type="number" min="0" step="any" /></label>
        </template>
        <template v-if="m.family === 'contact'">
          <label v-if="body.direction === 'out'"
            >may switch, mA
            <DenseField v-model="m.rated_ma" type="number" min="0" step="any" placeholder="not told"
          /></label>
          <label>off below <DenseField v-model="m.off_below_v" type="number" step="any" /></label>
          <label>on from <DenseField v-model="m.on_from_v" type="number" step="any" /></label>
          <label>input, Ω <DenseField v-model="m.input_ohm" type="number" min="0" step="any" /></label>
          <label
            >type of IEC 61131-2 <DenseField v-model="m.input_type" type="number" min="0" max="3"
          /></label>
        </template>
        <template v-if="m.family !== 'contact'">
          <label
            >count when open <DenseField v-model="m.open_counts" type="number" step="any" placeholder="none"
          /></label>
          <label
            >accuracy, % of span
            <DenseField v-model="m.accuracy_percent" type="number" min="0" step="any" placeholder="unknown"
          /></label>
        </template>
        <details class="more">
          <summary class="small">more of this way</summary>
          <span class="flow"><TypeFields :model-value="m as never" :specs="modeFields(m, body)" /></span>
        </details>
        <span class="keys">
          <v-btn
            class="act"
            @click="
              body.modes.splice(i + 1, 0, {
                ...m,
                signal: { ...m.signal },
                counts: { ...m.counts },
                name: `${m.name} 2`,
              })
            "
          >
            copy
          </v-btn>
          <v-btn class="act" :disabled="body.modes.length < 2" @click="body.modes.splice(i, 1)"> away </v-btn>
        </span>
      </div>
      <v-btn class="act" @click="body.modes.push(blankMode())">another way</v-btn>
    </FormPart>
    <TypeGroups v-model="body" />
    <FormPart title="the word and its registers" class="flow">
      <v-checkbox v-model="body.signed" label="signed" />
      <v-checkbox
        :model-value="body.word?.bits === 32"
        label="32 bits a channel"
        @update:model-value="body.word = !!$event ? { bits: 32 } : null"
      />
      <v-checkbox
        :model-value="has.status"
        label="a status word"
        @update:model-value="turnRegister('status bits', !has.status)"
      />
      <template v-if="body.status">
        <label
          >its first bit is <DenseField v-model.number="body.status.bit_base" type="number" min="0" max="1"
        /></label>
        <label>1 means <ChoiceField v-model="body.status.one_means" :items="['fault', 'healthy']" /></label>
      </template>
      <v-checkbox
        :model-value="has.cold"
        label="its cold junction"
        @update:model-value="turnRegister('cold junction', !has.cold)"
      />
      <span class="quiet small">{{ body.registers.map((r) => `${r.count} ${r.holds}`).join(', ') }}</span>
    </FormPart>
    <TypeMap v-model="body" />
    <FormPart title="filters and open circuit" class="flow">
      <span v-for="(f, i) in body.filters" :key="i" class="piece">
        <DenseField v-model="f.name" class="figure" :aria-label="`name of filter ${i + 1}`" />
        <DenseField
          v-model.number="f.time_ms"
          type="number"
          min="0"
          step="any"
          placeholder="ms"
          aria-label="time, ms"
        />
        <DenseField
          v-model.number="f.rejects_hz"
          type="number"
          min="0"
          step="any"
          placeholder="Hz"
          aria-label="rejected Hz"
        />
        <v-btn class="act" aria-label="filter away" @click="body.filters!.splice(i, 1)"> × </v-btn>
      </span>
      <v-btn class="act" @click="(body.filters ??= []).push({ name: '50 Hz', rejects_hz: 50, stages: 3 })">
        a filter
      </v-btn>
      <v-checkbox
        v-for="name in ['up-scale', 'down-scale', 'as the module does', 'hold']"
        :key="name"
        :model-value="open(name)"
        :label="name"
        @update:model-value="turnOpen(name)"
      />
    </FormPart>
    <TypeSettings v-model="body" />
    <TypeFirmware v-if="body.channels" v-model="body" />
    <FormPart title="isolation, currents, what else it is" class="flow">
      <TypeFields :model-value="body as never" :specs="TYPE_FIELDS" />
      <v-checkbox
        :model-value="!!body.supply"
        label="its supply is told"
        @update:model-value="body.supply = $event ? { low: 20.4, high: 28.8 } : null"
      />
      <template v-if="body.supply">
        <label>from, V <DenseField v-model.number="body.supply.low" type="number" step="any" /></label>
        <label>to, V <DenseField v-model.number="body.supply.high" type="number" step="any" /></label>
      </template>
    </FormPart>
    <FormPart title="what else the manual says" class="flow">
      <span v-for="(s, i) in body.statements" :key="i" class="piece wide">
        <DenseField
          v-model="s.about"
          :aria-label="`statement ${i + 1} is about`"
          placeholder="about"
          maxlength="60"
        />
        <DenseField
          v-model="s.says"
          :aria-label="`statement ${i + 1}`"
          placeholder="says"
          maxlength="300"
          class="says"
        />
        <v-btn class="act" :aria-label="`statement ${i + 1} away`" @click="body.statements!.splice(i, 1)"
          >×</v-btn
        >
      </span>
      <v-btn class="act" @click="(body.statements ??= []).push({ about: '', says: '' })">a statement</v-btn>
    </FormPart>
  </form>
</template>

<style scoped>
.flow {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: center;
}

label {
  font-size: 12px;
}

input:not([type='checkbox']),
select {
  min-height: 24px;
  padding: 0 5px;
  border: 0;
  border-bottom: 1px solid rgb(var(--v-theme-duct));
  background: rgb(var(--v-theme-bar));
  color: inherit;
  font: inherit;
}

input[type='number'] {
  width: 84px;
  font-family: var(--mono);
}

input.mark {
  width: 56px;
}

.guessed p {
  width: 100%;
  margin: 0;
  font-size: 12px;
}

.wide,
.wide input {
  flex: 1;
  min-width: 260px;
}

.piece .says {
  flex: 1;
  min-width: 240px;
}

.mode {
  display: flex;
  flex-wrap: wrap;
  gap: 5px 12px;
  width: 100%;
  padding: 6px 8px;
  border-left: 4px solid rgb(var(--v-theme-copper));
  background: rgb(var(--v-theme-bar));
}

.mode input:not([type='checkbox']),
.mode select {
  background: rgb(var(--v-theme-surface));
}

.piece {
  display: inline-flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: baseline;
}

.more {
  width: 100%;
}

.more .flow {
  padding: 4px 0;
}

.keys {
  display: flex;
  gap: 6px;
}
</style>
