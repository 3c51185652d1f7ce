<script setup lang="ts">
/** A finding in words, with the ways to settle it: each was tried, and is previewed before it is done. */
import { computed, watch } from 'vue'
import FieldTask from './FieldTask.vue'
import WaysLeft from './WaysLeft.vue'
import type { Finding } from '../plant/columns'
import { accepted, mark } from '../plant/findings'
import { usePlant } from '../plant/store'
import { useFix } from '../plant/useFix'
import { useWays } from '../plant/useWays'
import { clock } from '../plant/words'
import FixPreview from './FixPreview.vue'

const props = defineProps<{ finding: Finding }>()
const plant = usePlant()
const { looked, busy, look, settle, leave } = useFix()
const { ways, left, trying } = useWays(() => (accepted(props.finding) ? [] : [props.finding]))
// One way to go and look is enough: of several, what is found there decides.
const inTheField = computed(() => ways.value.filter((way) => way.in_the_field).slice(0, 1))
watch(() => `${props.finding.key} ${props.finding.text}`, leave)
</script>

<template>
  <div class="finding" :class="accepted(finding) ? 'quiet' : finding.severity">
    <p>
      <span aria-hidden="true">{{ mark(finding) }}</span> {{ finding.text }}
      <router-link class="quiet small" :to="{ path: '/findings', query: { at: finding.key } }"
        >{{ plant.plant?.rules[finding.rule] }} · {{ finding.rule }}</router-link
      >
    </p>
    <p v-if="finding.waived" class="small quiet">
      {{ finding.waived.holds ? 'accepted' : 'was accepted, and its facts have changed since' }}:
      {{ finding.waived.reason }} · {{ finding.waived.who }}, {{ clock(finding.waived.at) }}
    </p>
    <template v-if="!looked && !accepted(finding) && plant.may('edit')">
      <p v-if="ways.length" class="ways">
        <v-btn
          v-for="way in ways"
          :key="way.label"
          class="act"
          :disabled="busy"
          @click="look(finding.rule, way.label, way.edits)"
        >
          {{ way.label }}
        </v-btn>
        <FieldTask v-for="way in inTheField" :key="`task ${way.label}`" :way="way" :finding="finding" />
      </p>
      <WaysLeft :left="left" :trying="trying" />
    </template>
    <FixPreview v-else-if="looked" :looked="looked" :busy="busy" @settle="settle" @leave="leave" />
  </div>
</template>

<style scoped>
p {
  margin: 0 0 4px;
}

.finding.settle > p:first-child > span:first-child {
  color: rgb(var(--v-theme-settle));
}

.finding.bad > p:first-child > span:first-child {
  color: rgb(var(--v-theme-bad));
}

.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
</style>
