<script setup lang="ts">
/** The frame: rail, page, notices. Without a session, the sign-in page and nothing else. */
import { onMounted, ref } from 'vue'
import { ask, api } from './api/client'
import { usePlant } from './plant/store'
import StandingNotice from './parts/StandingNotice.vue'
import TipLayer from './kit/TipLayer.vue'
import CommandPalette from './frame/CommandPalette.vue'
import FirstSteps from './frame/FirstSteps.vue'
import FrameBar from './frame/FrameBar.vue'
import PageGuard from './frame/PageGuard.vue'
import RailNav from './frame/RailNav.vue'
import NoticeBar from './parts/NoticeBar.vue'
import SignIn from './pages/SignIn.vue'

const plant = usePlant()
const asked = ref(false)
const trouble = ref('')

onMounted(async () => {
  const link = location.pathname === '/enter' ? location.hash.slice(1) : ''
  if (link) history.replaceState(null, '', '/list')
  // Who is known here waits for one answer after the other no longer than he must.
  const about = link ? undefined : plant.askAbout()
  const answer = link
    ? await ask(api.POST('/api/session/link', { body: { token: link } }))
    : await ask(api.GET('/api/session'))
  if (answer.data) await enter(answer.data, about)
  else if (link || answer.problem.status !== 401)
    trouble.value = `${answer.problem.title} · ${answer.problem.remedy}`
  asked.value = true
})

async function enter(...now: Parameters<typeof plant.enter>) {
  await plant.enter(...now)
  trouble.value = plant.ready ? '' : 'the plant could not be read · reload the page'
}
</script>

<template>
  <v-app>
    <div v-if="plant.session && (plant.ready || plant.plant)" class="frame">
      <RailNav />
      <FrameBar />
      <main class="page">
        <div class="over"><StandingNotice /><FirstSteps /></div>
        <PageGuard v-if="plant.ready" />
        <p v-else class="wait quiet" role="status">{{ trouble || 'the list is on its way…' }}</p>
      </main>
      <CommandPalette />
      <NoticeBar />
      <TipLayer />
    </div>
    <SignIn v-else-if="asked" :trouble="trouble" @entered="enter" />
    <p v-else class="wait quiet">one moment…</p>
  </v-app>
</template>

<style scoped>
.frame {
  display: grid;
  grid-template: 44px minmax(0, 1fr) / 56px minmax(0, 1fr);
  height: 100dvh;
}

.page {
  grid-column: 2;
  min-width: 0;
  min-height: 0;
  overflow: hidden;
  background: rgb(var(--v-theme-background));
}

/* A notice over the page takes its height from it. */
.page {
  display: grid;
  grid-template: auto minmax(0, 1fr) / minmax(0, 1fr);
}

/* On a phone the rail lies at the foot: one point has the width. */
@media (max-width: 600px) {
  .frame {
    grid-template: 44px minmax(0, 1fr) auto / minmax(0, 1fr);
  }

  .page {
    grid-row: 2;
    grid-column: 1;
  }
}

.wait {
  padding: 40px;
}
</style>
