<script setup lang="ts">
/** The ladder of one point: which rungs were reached, by whom and by which record; what stands in the way of the last one. */
import { onMounted, ref, shallowRef, watch } from 'vue'
import { ask, api, said, type Schemas } from '../../api/client'
import ChoiceField from '../../kit/ChoiceField.vue'
import DenseField from '../../kit/DenseField.vue'
import { SEVERITIES, SEVERITY_SAYS } from '../../plant/proving'
import { usePlant } from '../../plant/store'
import { clock } from '../../plant/words'

const props = defineProps<{ point: number; again: number }>()
const plant = usePlant()
const ladder = shallowRef<Schemas['LadderOut'] | null>(null)
const says = ref('')
const what = ref('')
const severity = ref<'A' | 'B' | 'C'>('B')

async function load() {
  const path = { params: { path: { point: props.point } } }
  const answer = await ask(api.GET('/api/points/{point}/ladder', path))
  if (answer.problem) return (says.value = said(answer.problem))
  ladder.value = answer.data
}
watch(() => [props.point, props.again], load)
onMounted(load)

async function mark(rung: Schemas['RungOut']) {
  const body = { points: [props.point], rung: rung.rung as 'wired', reached: !rung.reached, note: '' }
  const answer = await ask(api.POST('/api/ladder', { body }))
  if (answer.problem) return (says.value = said(answer.problem))
  says.value = ''
  await load()
}

async function raise() {
  const body = {
    point: props.point,
    place: '',
    what: what.value,
    severity: severity.value,
    owner: '',
    photo: '',
  }
  const answer = await ask(api.POST('/api/punches', { body }))
  if (answer.problem) return (says.value = said(answer.problem))
  plant.say(`item ${answer.data.id} is on the punch list`, 'plain')
  says.value = what.value = ''
  await load()
}
</script>

<template>
  <section v-if="ladder">
    <h2>how far</h2>
    <ol>
      <li v-for="r in [...ladder.rungs].reverse()" :key="r.rung" :class="{ there: r.reached }">
        <span aria-hidden="true">{{ r.reached ? '✓' : '○' }}</span>
        {{ r.rung }}
        <span v-if="r.reached" v-tip="r.how" class="quiet small">{{ r.who }}, {{ clock(r.at) }}</span>
        <v-btn
          v-if="r.by_hand && r.rung !== 'function-tested' && plant.may('edit')"
          class="mini"
          @click="mark(r)"
          >{{ r.reached ? 'not so' : 'it is' }}</v-btn
        >
      </li>
    </ol>
    <p v-for="b in ladder.blockers" :key="b.says" class="settle small">▲ {{ b.says }}</p>
    <form v-if="plant.may('edit')" class="raise" @submit.prevent="raise">
      <DenseField
        v-model="what"
        placeholder="what is to be mended"
        aria-label="what is to be mended"
        maxlength="1000"
        required
      />
      <ChoiceField
        v-model="severity"
        aria-label="how bad"
        :items="SEVERITIES.map((value) => ({ value, title: SEVERITY_SAYS[value] }))"
      />
      <v-btn class="act" type="submit">raise it</v-btn>
    </form>
    <p v-if="says" class="bad small" role="status">■ {{ says }}</p>
  </section>
</template>

<style scoped>
h2 {
  margin: 10px 0 4px;
  font-size: 14px;
}

ol {
  margin: 0;
  padding: 0 0 0 8px;
  border-left: 4px double rgb(var(--v-theme-duct));
  list-style: none;
}

li {
  color: rgb(var(--v-theme-quiet));
}

li.there {
  color: rgb(var(--v-theme-ink));
}

p {
  margin: 2px 0;
}

.raise {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  margin-top: 6px;
}

.settle {
  color: rgb(var(--v-theme-settle));
}

.bad {
  color: rgb(var(--v-theme-bad));
}
</style>
