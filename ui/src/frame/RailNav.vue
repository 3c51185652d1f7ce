<script setup lang="ts">
/** The rail at the left, comb-edged like trunking: the places, and how much is open in them. */
import { mdiThemeLightDark } from '@mdi/js'
import { computed } from 'vue'
import { toSettle } from '../plant/findings'
import { usePlant } from '../plant/store'
import { PLACES, placeOf, type Place } from './places'
import { useDark } from '../theme/useDark'

const { dark, turn } = useDark()
const plant = usePlant()
// What everybody sees on every page: how much is open. Notes are to know, not to settle.
const counted = computed(() => {
  const open = [...plant.findings.values()].filter(toSettle)
  return { open: open.length, bad: open.filter((f) => f.severity === 'bad').length }
})
const alarmed = computed(() => plant.alarmCount.waiting)
const most = (count: number) => (count > 999 ? '999+' : count || '')
const tips = computed<Record<string, string>>(() => ({
  Live: alarmed.value ? `${alarmed.value} alarms wait for somebody` : 'no alarm waits',
  Findings: counted.value.open
    ? `${counted.value.open} open, ${counted.value.bad} of them bad`
    : 'everything agrees',
}))
const head = PLACES.filter((place) => !place.at)
const foot = PLACES.filter((place) => place.at === 'foot')
const here = (place: Place, route: unknown) => placeOf(route) === place
</script>

<template>
  <nav class="rail" aria-label="places">
    <router-link
      v-for="place in head"
      :key="place.says"
      v-tip="tips[place.says]"
      class="place"
      :class="{ here: here(place, $route.name) }"
      :aria-current="here(place, $route.name) ? 'true' : undefined"
      :to="place.pages[0]!.to"
      ><v-icon :icon="place.icon" size="20" />{{ place.says
      }}<span v-if="place.says === 'Live' && alarmed" class="figure count bad">{{ most(alarmed) }}</span
      ><span
        v-if="place.says === 'Live' && plant.holding.length"
        v-tip="'held: not from the field'"
        class="figure count held"
        >◇ {{ plant.holding.length }}</span
      ><span
        v-if="place.says === 'Findings' && counted.open"
        class="figure count"
        :class="counted.bad ? 'bad' : 'settle'"
        >{{ most(counted.open) }}</span
      ></router-link
    >
    <span class="gap" />
    <v-btn v-tip="'light or dark'" class="place" @click="turn">
      <v-icon :icon="mdiThemeLightDark" size="20" />{{ dark ? 'light' : 'dark' }}
    </v-btn>
    <router-link
      v-for="place in foot"
      :key="place.says"
      class="place"
      :class="{ here: here(place, $route.name) }"
      :to="place.pages[0]!.to"
      ><v-icon :icon="place.icon" size="20" />{{ place.says }}</router-link
    >
  </nav>
</template>

<style scoped>
.rail {
  position: relative;
  grid-row: 1 / 3;
  display: flex;
  flex-direction: column;
  padding: 8px 8px 8px 2px;
  overflow: hidden auto;
  background: rgb(var(--v-theme-rail));
}

.rail::after {
  content: '';
  position: absolute;
  inset: 0 0 0 auto;
  width: 6px;
  background: repeating-linear-gradient(
    180deg,
    rgb(var(--v-theme-tooth)) 0 8px,
    rgb(var(--v-theme-rail)) 8px 13px
  );
}

.place {
  display: flex;
  flex-direction: column;
  align-items: center;
  gap: 3px;
  padding: 8px 0 6px;
  border: 0;
  border-radius: var(--radius);
  background: none;
  color: rgb(var(--v-theme-rail-ink));
  font: inherit;
  font-size: 10.5px;
  letter-spacing: -0.01em;
  text-decoration: none;
  cursor: pointer;
}

.place.here {
  background: rgb(var(--v-theme-copper));
  color: rgb(var(--v-theme-on-primary));
}

.count {
  padding: 0 6px;
  border: 1px solid currentcolor;
  border-radius: 8px;
  font-size: 10px;
  line-height: 14px;
}

.count.held {
  border-style: dashed;
}

.count.bad {
  border-radius: 2px;
  border-width: 2px;
}

.gap {
  flex: 1;
}

@media (max-width: 600px) {
  .rail {
    flex-direction: row;
    grid-row: 3;
    justify-content: space-around;
    padding: 6px 2px 2px;
  }

  .rail::after {
    inset: 0 0 auto;
    width: auto;
    height: 6px;
    background: repeating-linear-gradient(
      90deg,
      rgb(var(--v-theme-tooth)) 0 8px,
      rgb(var(--v-theme-rail)) 8px 13px
    );
  }

  .gap,
  .place:nth-child(n + 7) {
    display: none;
  }
}
</style>
