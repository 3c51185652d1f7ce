<script setup lang="ts">
/** Where everything of a module stands: runs of places, status words with their bits, and what resets them. */
import { computed } from 'vue'
import ChoiceField from '../../kit/ChoiceField.vue'
import FormPart from '../../kit/FormPart.vue'
import DenseField from '../../kit/DenseField.vue'
import PlaceField from './PlaceField.vue'
import { TABLES, type Style, type TableName } from './places'
import {
  blankWord,
  countOf,
  FORMS,
  formAt,
  HOLDS,
  MEANINGS,
  served,
  type RunBody,
  type WordBody,
} from './typeMap'
import type { TypeBody } from './typeBody'

const body = defineModel<TypeBody>({ required: true })
const numbering = computed(() => (body.value.numbering ?? 'from 0') as Style)
const words = computed(() => body.value.status_words ?? [])
const tables = [{ value: '', title: 'as the rack' }, ...TABLES.map((t) => ({ value: t, title: t }))]
const PER_CHANNEL = ['channel words', 'channel bits', 'status bits', 'load current', 'other numbers']

const tableOf = (one: { table?: string }) => (one.table || 'input registers') as TableName
const forms = (run: RunBody) => [
  ...FORMS.map((form, i) => ({ value: i, title: form.title })),
  ...(formAt(run.form) < 0 ? [{ value: -1, title: 'another, see JSON' }] : []),
]

/** A run that changes takes as many places as it needs. */
function change(run: RunBody, part: Partial<RunBody>) {
  Object.assign(run, part)
  run.count = Math.max(1, countOf(run, body.value.channels, body.value.word))
}

function serve(run: RunBody, part: Partial<{ first: number; count: number }>) {
  const of = { ...served(run, body.value.channels), ...part }
  change(run, { of: of.first === 0 && of.count === body.value.channels ? null : of })
}

function add() {
  const end = Math.max(0, ...body.value.registers.map((run) => (run.at ?? 0) + run.count))
  body.value.registers.push({ holds: 'module registers', count: 1, at: end, says: '' })
}

function addWord() {
  body.value.status_words = [...words.value, blankWord()]
}

function addBit(word: WordBody) {
  const next = Math.max((word.bit_base ?? 0) - 1, ...word.bits.map((bit) => bit.bit)) + 1
  word.bits.push({ bit: next, means: 'fault', one_means: 'fault', says: '', latches: false })
}

function turnReset(word: WordBody) {
  word.reset = word.reset ? null : { table: 'holding registers', at: 0, step: 0, word: 1, mask: 65535 }
}
</script>

<template>
  <FormPart title="its map, place by place" class="map">
    <span class="quiet small">places are written {{ numbering }}</span>
    <div v-for="(run, i) in body.registers" :key="i" class="run parts">
      <ChoiceField
        :model-value="run.holds"
        :items="HOLDS"
        :aria-label="`what stands in run ${i + 1}`"
        @update:model-value="change(run, { holds: $event })"
      />
      <label
        >in
        <ChoiceField
          :model-value="run.table ?? ''"
          :items="tables"
          :aria-label="`table of run ${i + 1}`"
          @update:model-value="change(run, { table: $event as RunBody['table'] })"
      /></label>
      <label
        >from
        <PlaceField
          :model-value="run.at ?? null"
          :table="tableOf(run)"
          :numbering="numbering"
          :spoken="`first place of run ${i + 1}`"
          placeholder="behind"
          @update:model-value="change(run, { at: $event })"
          @table="change(run, { table: $event })"
      /></label>
      <template v-if="PER_CHANNEL.includes(run.holds)">
        <label
          >step
          <DenseField
            :model-value="run.step || ''"
            class="few"
            type="number"
            min="0"
            placeholder="none"
            :aria-label="`step of run ${i + 1}, from one channel to the next`"
            @update:model-value="change(run, { step: Number($event) || 0 })"
        /></label>
        <label
          >channels from
          <DenseField
            :model-value="served(run, body.channels).first + 1"
            class="few"
            type="number"
            min="1"
            :aria-label="`first channel of run ${i + 1}`"
            @update:model-value="serve(run, { first: Math.max(0, Number($event) - 1) })"
        /></label>
        <label
          >how many
          <DenseField
            :model-value="served(run, body.channels).count"
            class="few"
            type="number"
            min="1"
            :aria-label="`how many channels run ${i + 1} serves`"
            @update:model-value="serve(run, { count: Math.max(1, Number($event) || 1) })"
        /></label>
      </template>
      <label v-if="['channel words', 'other numbers'].includes(run.holds)"
        >each
        <ChoiceField
          :model-value="formAt(run.form)"
          :items="forms(run)"
          :aria-label="`number of run ${i + 1}`"
          @update:model-value="change(run, { form: FORMS[$event]?.form ?? null })"
      /></label>
      <label v-if="!PER_CHANNEL.includes(run.holds)"
        >places
        <DenseField
          v-model.number="run.count"
          class="few"
          type="number"
          min="1"
          :aria-label="`places of run ${i + 1}`"
      /></label>
      <DenseField
        v-if="!run.holds.startsWith('channel')"
        v-model="run.says"
        maxlength="60"
        placeholder="the manual’s words"
        :aria-label="`run ${i + 1} in words`"
      />
      <v-btn class="act" :aria-label="`run ${i + 1} away`" @click="body.registers.splice(i, 1)">×</v-btn>
    </div>
    <v-btn class="act" @click="add">another run</v-btn>
    <section v-for="(word, w) in words" :key="w" class="word">
      <p class="parts">
        <b>status word {{ w + 1 }}</b>
        <label
          >table
          <ChoiceField
            :model-value="word.table ?? ''"
            :items="tables"
            :aria-label="`table of status word ${w + 1}`"
            @update:model-value="word.table = $event as WordBody['table']"
        /></label>
        <label
          >place
          <PlaceField
            :model-value="word.at ?? null"
            :table="tableOf(word)"
            :numbering="numbering"
            :spoken="`place of status word ${w + 1}`"
            placeholder="beside the number"
            @update:model-value="word.at = $event"
            @table="word.table = $event"
        /></label>
        <label
          >step
          <DenseField
            v-model.number="word.step"
            class="few"
            type="number"
            min="0"
            :aria-label="`step of status word ${w + 1}`"
        /></label>
        <label
          >channels a word
          <DenseField
            v-model.number="word.channels_a_word"
            class="few"
            type="number"
            min="0"
            placeholder="0: all"
            :aria-label="`channels that share status word ${w + 1}, 0 for all`"
        /></label>
        <label
          >first bit is
          <DenseField
            :model-value="word.bit_base ?? 0"
            class="few"
            type="number"
            min="0"
            max="1"
            :aria-label="`number of the first bit of status word ${w + 1}`"
            @update:model-value="word.bit_base = Number($event) ? 1 : 0"
        /></label>
        <v-btn class="act" :aria-label="`status word ${w + 1} away`" @click="body.status_words?.splice(w, 1)"
          >×</v-btn
        >
      </p>
      <div
        v-for="(bit, b) in word.bits"
        :key="b"
        :class="{ shared: (word.channels_a_word ?? 1) !== 1 }"
        class="bit"
      >
        <label>bit <DenseField v-model.number="bit.bit" class="few" type="number" min="0" max="16" /></label>
        <ChoiceField v-model="bit.means" :items="MEANINGS" :aria-label="`what bit ${bit.bit} means`" />
        <label
          >when
          <ChoiceField
            :model-value="bit.one_means ?? 'fault'"
            :items="[
              { value: 'fault', title: '1' },
              { value: 'healthy', title: '0' },
            ]"
            :aria-label="`polarity of bit ${bit.bit}`"
            @update:model-value="bit.one_means = $event"
        /></label>
        <ChoiceField
          :model-value="bit.makes ?? ''"
          :aria-label="`what bit ${bit.bit} makes of the value`"
          :items="[
            { value: '', title: 'as it means' },
            { value: 'bad', title: 'bad' },
            { value: 'doubtful', title: 'doubtful' },
            { value: 'good', title: 'a note alone' },
          ]"
          @update:model-value="bit.makes = $event"
        />
        <label v-if="(word.channels_a_word ?? 1) !== 1"
          >of channel
          <DenseField
            :model-value="bit.of == null ? '' : bit.of + 1"
            type="number"
            min="1"
            placeholder="each"
            :aria-label="`channel of bit ${bit.bit} in the word`"
            @update:model-value="bit.of = Number($event) ? Number($event) - 1 : null"
        /></label>
        <DenseField
          v-model="bit.says"
          maxlength="80"
          placeholder="the manual’s words"
          :aria-label="`bit ${bit.bit} in words`"
        />
        <v-checkbox v-model="bit.latches" label="latches" />
        <v-btn
          class="act"
          :aria-label="`bit ${bit.bit} away`"
          :disabled="word.bits.length < 2"
          @click="word.bits.splice(b, 1)"
          >×</v-btn
        >
      </div>
      <p class="parts">
        <v-btn class="act" @click="addBit(word)">another bit</v-btn>
        <v-checkbox
          :model-value="!!word.reset"
          label="something resets it"
          @update:model-value="turnReset(word)"
        />
        <template v-if="word.reset">
          <ChoiceField
            :model-value="word.reset.table ?? 'holding registers'"
            :items="['holding registers', 'coils']"
            :aria-label="`table that resets status word ${w + 1}`"
            @update:model-value="word.reset.table = $event as 'coils'"
          />
          <PlaceField
            :model-value="word.reset.at"
            :table="word.reset.table ?? 'holding registers'"
            :numbering="numbering"
            :spoken="`place that resets status word ${w + 1}`"
            @update:model-value="word.reset.at = $event ?? 0"
          />
          <label
            >step
            <DenseField
              v-model.number="word.reset.step"
              class="few"
              type="number"
              min="0"
              placeholder="one for all"
          /></label>
          <label
            >write <DenseField v-model.number="word.reset.word" class="few" type="number" min="0" max="65535"
          /></label>
          <label v-if="word.reset.table !== 'coils'"
            >into bits
            <DenseField v-model.number="word.reset.mask" class="few" type="number" min="1" max="65535"
          /></label>
        </template>
      </p>
    </section>
    <v-btn class="act" @click="addWord">a status word</v-btn>
  </FormPart>
</template>

<style scoped>
.run {
  padding: 4px 8px;
  border-left: 4px solid rgb(var(--v-theme-duct));
  background: rgb(var(--v-theme-bar));
}

.parts,
.bit {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: center;
  margin: 4px 0;
}

.bit {
  display: grid;
  grid-template-columns: 76px 150px auto minmax(90px, 1fr) auto auto;
}

.bit.shared {
  grid-template-columns: 76px 150px auto auto minmax(90px, 1fr) auto auto;
}

@media (max-width: 760px) {
  .bit,
  .bit.shared {
    display: flex;
  }
}

.map :deep(.few) {
  width: 58px;
}

.word {
  margin: 8px 0;
  padding: 4px 8px;
  border-left: 4px solid rgb(var(--v-theme-copper));
  background: rgb(var(--v-theme-bar));
}
</style>
