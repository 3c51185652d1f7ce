<script setup lang="ts">
/** The rail at the left, comb-edged like trunking. It shows only what works. */
import {
  mdiFormatListText,
  mdiHistory,
  mdiAccountOutline,
  mdiThemeLightDark,
  mdiTrayArrowUp,
  mdiTuneVariant,
  mdiViewColumnOutline,
} from '@mdi/js'
import { useTheme } from 'vuetify'

const theme = useTheme()

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

.gap {
  flex: 1;
}
</style>
