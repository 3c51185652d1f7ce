<script setup lang="ts">
/** What can be written into a module: each setting with its numbers, its place, what it is delivered with, and what is
 * written behind them so that they act or are kept. */
import { computed } from 'vue'
import FormPart from '../../kit/FormPart.vue'
import ChoiceField from '../../kit/ChoiceField.vue'
import DenseField from '../../kit/DenseField.vue'
import PlaceField from './PlaceField.vue'
import TypeFields from './TypeFields.vue'
import { FIGURE_FIELDS, PLACE_FIELDS } from './typeFields'
import { choicesOf, FIGURES, type SettingBody, type TypeBody } from './typeBody'

const body = defineModel<TypeBody>({ required: true })
const setting = (of: string) => (body.value.settings ?? []).find((s) => s.of === of)
/** What is a matter of pulse widths is asked of those alone. */
const offered = computed(() => [
  'mode',
  'filter',
  'open circuit',
  'enabled',
  ...FIGURES.filter((of) => setting(of) || body.value.modes.some((m) => m.signal_unit === '%')),
])
const can = (of: string) => FIGURES.includes(of) || choicesOf(body.value, of).length > 0
const numbered = (s: SettingBody) => [...choicesOf(body.value, s.of), ...(s.of === 'mode' && 'off' in s.codes ? ['off'] : [])] // prettier-ignore

function turn(of: string, on: boolean) {
  const rest = (body.value.settings ?? []).filter((s) => s.of !== of)
  const fresh: SettingBody = FIGURES.includes(of) ? { of, codes: {}, per_unit: 1, least: 0, most: 100, usual: 0 } : { of, codes: {} } // prettier-ignore
  body.value.settings = on ? [...rest, fresh] : rest
}

function turnOff(s: SettingBody, on: boolean) {
  if (on) s.codes = { ...s.codes, off: 0 }
  else delete s.codes.off
}

/** Behind all that stands in holding registers already. */
const free = computed(() =>
  Math.max(
    0,
    ...body.value.registers.map((r) => (r.table === 'holding registers' ? (r.at ?? 0) + r.count : 0)),
    ...(body.value.settings ?? []).map((s) => (s.at ?? -1) + 1),
  ),
)

function placed(s: SettingBody, on: boolean) {
  s.at = on ? free.value : null
  if (!on) Object.assign(s, { table: 'holding registers', bits: 16, low_bit: 0, bit_step: 0, read_table: '', read_at: null }) // prettier-ignore
}
const fixedOf = (of: string) => body.value.fixed?.[of] ?? ''
function fix(of: string, why: string) {
  const rest = Object.fromEntries(Object.entries(body.value.fixed ?? {}).filter(([name]) => name !== of))
  body.value.fixed = why.trim() ? { ...rest, [of]: why.trim() } : rest
}
</script>

<template>
  <FormPart title="what can be written" class="flow">
    <div v-for="of in offered" :key="of" class="written" :class="{ on: setting(of) }">
      <v-checkbox
        :model-value="!!setting(of)"
        :disabled="!can(of)"
        :label="`${of} can be written`"
        @update:model-value="turn(of, !setting(of))"
      />
      <label v-if="!setting(of) && can(of) && !FIGURES.includes(of)" class="small"
        >fixed, for
        <DenseField
          :model-value="fixedOf(of)"
          placeholder="it can be chosen"
          :aria-label="`why ${of} is fixed`"
          @update:model-value="fix(of, String($event))"
      /></label>
      <template v-if="setting(of)">
        <TypeFields v-if="FIGURES.includes(of)" :model-value="setting(of)! as never" :specs="FIGURE_FIELDS" />
        <label v-for="name in numbered(setting(of)!)" v-else :key="name" class="small"
          >{{ name }} is
          <DenseField
            v-model.number="setting(of)!.codes[name]"
            type="number"
            min="0"
            max="65535"
            placeholder="next"
            class="mark"
          />
        </label>
        <v-checkbox
          v-if="of === 'mode'"
          :model-value="'off' in setting(of)!.codes"
          label="“off” is one of them"
          @update:model-value="turnOff(setting(of)!, !!$event)"
        />
        <label v-if="!FIGURES.includes(of)" class="small"
          >delivered as
          <ChoiceField
            :model-value="setting(of)!.delivered ?? ''"
            :aria-label="`${of} is delivered as`"
            :items="[{ value: '', title: 'not told' }, ...numbered(setting(of)!)]"
            @update:model-value="setting(of)!.delivered = $event"
        /></label>
        <v-checkbox
          :model-value="setting(of)!.at !== null && setting(of)!.at !== undefined"
          label="it has a place of its own"
          @update:model-value="placed(setting(of)!, !!$event)"
        />
        <template v-if="setting(of)!.at !== null && setting(of)!.at !== undefined">
          <label class="small"
            >first place
            <PlaceField
              spoken="first place of the setting"
              :model-value="setting(of)!.at ?? null"
              :table="setting(of)!.table ?? 'holding registers'"
              :numbering="body.numbering ?? 'from 0'"
              @update:model-value="setting(of)!.at = $event"
          /></label>
          <TypeFields :model-value="setting(of)! as never" :specs="PLACE_FIELDS" />
          <label v-if="setting(of)!.read_table" class="small"
            >read from
            <PlaceField
              spoken="where the setting is read"
              :model-value="setting(of)!.read_at ?? null"
              :table="setting(of)!.read_table || 'holding registers'"
              :numbering="body.numbering ?? 'from 0'"
              @update:model-value="setting(of)!.read_at = $event"
          /></label>
        </template>
      </template>
    </div>
    <div v-for="(a, i) in body.after_settings" :key="i" class="written on">
      <label class="small">then <DenseField v-model="a.name" class="mark" placeholder="apply" /></label>
      <label class="small"
        >in
        <ChoiceField
          v-model="a.table"
          aria-label="table of what is written then"
          :items="['holding registers', 'coils']"
      /></label>
      <label class="small"
        >place
        <PlaceField
          spoken="place of what is written then"
          :model-value="a.at"
          :table="a.table"
          :numbering="body.numbering ?? 'from 0'"
          @update:model-value="a.at = $event ?? 0"
      /></label>
      <label class="small"
        >becomes <DenseField v-model.number="a.word" type="number" min="0" max="65535" class="mark"
      /></label>
      <v-btn class="act" :aria-label="`${a.name} away`" @click="body.after_settings!.splice(i, 1)">×</v-btn>
    </div>
    <v-btn
      v-if="body.settings?.length"
      class="act"
      @click="
        (body.after_settings ??= []).push({
          name: body.after_settings?.length ? 'store' : 'apply',
          table: 'holding registers',
          at: 0,
          word: 1,
        })
      "
    >
      something is written after them
    </v-btn>
  </FormPart>
</template>

<style scoped>
.flow,
.written {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: center;
}

.written {
  width: 100%;
}

.written.on {
  padding: 4px 8px;
  border-left: 4px solid rgb(var(--v-theme-duct));
  background: rgb(var(--v-theme-bar));
}

.written :deep(.mark) {
  width: 62px;
}

label {
  font-size: 12px;
}
</style>
