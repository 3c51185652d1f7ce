<script setup lang="ts">
/** Who uses the pair, each with the count that follows from it; and the pair that the controller keeps itself. */
import { ref } from 'vue'
import { ask, api, said, type Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import { figure } from '../../plant/words'

const props = defineProps<{ point: number; trim: Schemas['TrimOut'] }>()
const emit = defineEmits<{ says: [string] }>()
const plant = usePlant()
const pair = ref<Schemas['PairOut'] | null>(null)
const busy = ref(false)

async function look(write: boolean) {
  busy.value = true
  const answer = await ask(
    api.POST('/api/points/{point}/trim/pair', { params: { path: { point: props.point } }, body: { write } }),
  )
  busy.value = false
  if (answer.problem) emit('says', [said(answer.problem), answer.problem.detail].filter(Boolean).join(' · '))
  else pair.value = answer.data
}
</script>

<template>
  <section>
    <h2>one pair, used by</h2>
    <ul>
      <li v-for="(use, i) in trim.uses" :key="i">
        <b>{{ use.what }}</b> {{ use.says }}
        <span v-if="use.counts != null" class="figure">· count {{ figure(use.counts, 0) }}</span>
        <span v-if="!use.follows" class="settle"> ▲ does not follow by itself</span>
      </li>
    </ul>
    <template v-if="trim.pair_at">
      <h2>in the controller</h2>
      <p v-if="pair" role="status" :class="{ settle: !pair.agrees }">
        <span class="figure">{{ pair.counts.map((c) => figure(c, 0)).join(' … ') }}</span> ·
        {{ pair.agrees ? '✓' : '▲' }} {{ pair.says }}
      </p>
      <v-btn class="act" :disabled="busy || !plant.may('inject')" @click="look(false)">read it</v-btn>
      <v-btn
        v-if="pair && !pair.agrees"
        class="act"
        :disabled="busy || !plant.may('inject')"
        @click="look(true)"
        >write {{ pair.ought.map((c) => (c == null ? '–' : figure(c, 0))).join(' … ') }} there</v-btn
      >
    </template>
  </section>
</template>

<style scoped>
h2 {
  margin: 10px 0 4px;
  font-size: 14px;
}

ul {
  margin: 0;
  padding: 0;
  list-style: none;
  font-size: 12px;
}

li {
  padding: 2px 0;
  border-bottom: 1px solid rgb(var(--v-theme-line));
}

.settle {
  color: rgb(var(--v-theme-settle));
}
</style>
