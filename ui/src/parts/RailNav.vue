<script setup lang="ts">
/** The rail at the left, comb-edged like trunking. It shows only what works. */
import {
  mdiFormatListText,
  mdiHistory,
  mdiAccountOutline,
  mdiClipboardAlertOutline,
  mdiClipboardCheckOutline,
  mdiPulse,
  mdiThemeLightDark,
  mdiTrayArrowUp,
  mdiTuneVariant,
  mdiViewColumnOutline,
} from '@mdi/js'
import { computed } from 'vue'
import { useTheme } from 'vuetify'
import { accepted } from '../plant/findings'
import { usePlant } from '../plant/store'

const theme = useTheme()
const plant = usePlant()
// What everybody sees on every page: how much is open. Notes are to know, not to settle.
const counted = computed(() => {
  const open = [...plant.findings.values()].filter((f) => !accepted(f) && f.severity !== 'note')
  return { open: open.length, bad: open.filter((f) => f.severity === 'bad').length }
})
const alarmed = computed(() => plant.alarmCount.waiting)
const open = computed(() => (counted.value.open > 999 ? '999+' : counted.value.open || ''))
const worst = computed(() => (counted.value.bad ? 'bad' : 'settle'))
const says = computed(() =>
  counted.value.open ? `${counted.value.open} open, ${counted.value.bad} of them bad` : 'everything agrees',
)

function turnTheme() {
  const next = theme.global.name.value === 'dark' ? 'light' : 'dark'
  theme.change(next)
  localStorage.setItem('canaleta-theme', next)
}
</script>

<template>
  <nav class="rail" aria-label="places">
    <router-link class="place" to="/list" :class="{ here: $route.name === 'list' || $route.name === 'path' }">
      <v-icon :icon="mdiFormatListText" size="20" />I/O list
    </router-link>
    <router-link class="place" to="/cabinets"
      ><v-icon :icon="mdiViewColumnOutline" size="20" />Cabinets</router-link
    >
    <router-link
      class="place"
      to="/live"
      :class="{
        here: ['live', 'now', 'alarms', 'temporary', 'scripts', 'learn'].includes(String($route.name)),
      }"
      :title="alarmed ? `${alarmed} alarms wait for somebody` : 'no alarm waits'"
      ><v-icon :icon="mdiPulse" size="20" />Live<span v-if="alarmed" class="figure count bad">{{
        alarmed > 999 ? '999+' : alarmed
      }}</span
      ><span v-if="plant.holding.length" class="figure count held" title="held: not from the field"
        >◇ {{ plant.holding.length }}</span
      ></router-link
    >
    <router-link class="place" to="/checkout" :class="{ here: $route.name === 'check' }"
      ><v-icon :icon="mdiClipboardCheckOutline" size="20" />Checkout</router-link
    >
    <router-link class="place" to="/findings" :title="says"
      ><v-icon :icon="mdiClipboardAlertOutline" size="20" />Findings<span
        v-if="open"
        class="figure count"
        :class="worst"
        >{{ open }}</span
      ></router-link
    >
    <router-link class="place" to="/handover"
      ><v-icon :icon="mdiTrayArrowUp" size="20" />Handover</router-link
    >
    <span class="gap" />
    <button class="place" type="button" title="light or dark" @click="turnTheme">
      <v-icon :icon="mdiThemeLightDark" size="20" />{{
        theme.global.name.value === 'dark' ? 'light' : 'dark'
      }}
    </button>
    <router-link class="place" to="/conventions"
      ><v-icon :icon="mdiTuneVariant" size="20" />Rules</router-link
    >
    <router-link class="place" to="/history"><v-icon :icon="mdiHistory" size="20" />History</router-link>
    <router-link class="place" to="/account"><v-icon :icon="mdiAccountOutline" size="20" />You</router-link>
  </nav>
</template>

<style scoped>
.rail {
  position: relative;
  display: flex;
  flex-direction: column;
  padding: 8px 8px 8px 2px;
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

.place.here,
.place.router-link-active {
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
    grid-row: 2;
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
