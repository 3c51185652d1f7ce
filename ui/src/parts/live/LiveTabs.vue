<script setup lang="ts">
/** What the places of the live part have on top: where one is, what is held, and how the server is. */
import { computed } from 'vue'
import { usePlant } from '../../plant/store'
import LostRacks from '../LostRacks.vue'

const plant = usePlant()
const waiting = computed(() => plant.alarmCount.waiting)
const PLACES = [
  ['live', '/live', 'board'],
  ['alarms', '/alarms', 'alarms'],
  ['temporary', '/temporary', 'temporary changes'],
  ['scripts', '/scripts', 'scripts'],
  ['learn', '/learn', 'learn'],
] as const
</script>

<template>
  <header class="topbar">
    <nav aria-label="live">
      <router-link
        v-for="[name, to, says] in PLACES"
        :key="name"
        :to="to"
        class="to"
        :class="{ here: $route.name === name }"
        >{{ says }}<span v-if="name === 'alarms' && waiting" class="figure n bad">{{ waiting }}</span
        ><span v-if="name === 'temporary' && plant.temporary.length" class="figure n apart">{{
          plant.temporary.length
        }}</span></router-link
      >
    </nav>
    <slot />
    <span class="gap" />
    <router-link v-if="plant.holding.length" to="/temporary" class="chip apart"
      >◇ {{ plant.holding.length }} held: not from the field</router-link
    >
    <LostRacks />
    <span v-if="!plant.linkUp" class="chip bad"
      ><span aria-hidden="true">■</span> server lost, trying again</span
    >
    <span class="chip who" :title="`signed in as ${plant.session?.role}`">{{ plant.session?.account }}</span>
  </header>
</template>

<style scoped>
nav {
  display: flex;
  gap: 14px;
  margin-right: 8px;
}

.to {
  padding: 12px 0 9px;
  border-bottom: 3px solid transparent;
  color: inherit;
  text-decoration: none;
  white-space: nowrap;
}

.to.here {
  border-color: rgb(var(--v-theme-copper));
  font-weight: 600;
}

.n {
  margin-left: 5px;
  padding: 0 5px;
  border: 1px solid currentcolor;
  border-radius: 2px;
  font-size: 11px;
}

.n.bad {
  color: rgb(var(--v-theme-bad));
}

.n.apart {
  border-style: dashed;
  color: rgb(var(--v-theme-apart));
}

@media (max-width: 760px) {
  nav {
    gap: 10px;
  }

  .who {
    display: none;
  }
}
</style>
