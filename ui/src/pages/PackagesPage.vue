<script setup lang="ts">
/** Packages of work: who goes through which points on which days; taken along as one file, and brought back. */
import { computed, onMounted, ref, shallowRef } from 'vue'
import { ask, api, said, type Schemas } from '../api/client'
import DateField from '../kit/DateField.vue'
import DenseField from '../kit/DenseField.vue'
import BringBack from '../parts/check/BringBack.vue'
import { canKeep, dropHere, keepHere, keptHere, takeAlong, type Kept } from '../plant/away'
import { useTags } from '../plant/proving'
import { usePlant } from '../plant/store'
import { useSearch } from '../plant/useSearch'

type Package = Schemas['PackageOut']
const plant = usePlant()
const { cell } = useTags()
const { findRows } = useSearch()
const packages = shallowRef<Package[] | null>(null)
const says = ref('')
const busy = ref('')
const kept = shallowRef<Kept[]>([])
/** The page on this device that somebody is asked about before it goes. */
const dropping = ref('')
const fresh = ref({ name: '', people: '', begins: '', ends: '', query: '' })

async function load() {
  const answer = await ask(api.GET('/api/packages'))
  if (answer.problem) return (says.value = said(answer.problem))
  packages.value = answer.data.packages
  kept.value = await keptHere()
}
onMounted(load)

const found = computed(() => {
  void plant.list.version
  const query = fresh.value.query.trim()
  return query ? findRows(query).rows.map((r) => plant.list.ids[r]!) : []
})

async function make() {
  const { name, people, begins, ends } = fresh.value
  const body = {
    people: people.split(',').map((x) => x.trim()).filter(Boolean),
    begins, ends, points: found.value.slice(0, 1000), note: '', becomes: '',
  } // prettier-ignore
  const answer = await ask(api.PUT('/api/packages/{name}', { params: { path: { name: name.trim() } }, body }))
  if (answer.problem) return (says.value = said(answer.problem))
  says.value = ''
  fresh.value = { ...fresh.value, name: '', query: '' }
  await load()
}

async function remove(one: Package) {
  const answer = await ask(api.DELETE('/api/packages/{name}', { params: { path: { name: one.name } } }))
  if (answer.problem) return (says.value = said(answer.problem))
  plant.say(`package ${one.name} is gone · Ctrl+Z brings it back`, 'plain')
  await load()
}

async function take(one: Package, here: boolean) {
  busy.value = one.name
  const made = await takeAlong(one.name)
  busy.value = ''
  if ('problem' in made) return (says.value = made.problem)
  says.value = ''
  if (here) {
    try {
      await keepHere(one.name, made.code, made.page)
    } catch {
      says.value = 'this browser keeps no pages · take it along as a file'
    }
  } else {
    const link = document.createElement('a')
    link.href = URL.createObjectURL(new Blob([made.page], { type: 'text/html' }))
    link.download = `${one.name.replace(/[^\p{L}\p{N}-]+/gu, '-')}.html`
    link.click()
  }
  await load()
}

async function drop(path: string) {
  await dropHere(path)
  dropping.value = ''
  kept.value = await keptHere()
}

async function letGo(one: Package) {
  const answer = await ask(api.DELETE('/api/packages/{name}/away', { params: { path: { name: one.name } } }))
  if (answer.problem) return (says.value = said(answer.problem))
  await load()
}
const days = (one: Package) => [one.begins, one.ends].filter(Boolean).join(' to ')
</script>

<template>
  <section class="desk">
    <header>
      <h1>packages</h1>
      <span class="quiet">who goes through which points, at the network or away from it</span>
    </header>
    <p v-if="says" class="bad" role="status">■ {{ says }}</p>
    <p v-for="one in kept" :key="one.path" class="line" role="status">
      ✓ {{ one.name }} is on this device: <a :href="one.path" target="_blank">open it</a>, with or without a
      network
      <template v-if="dropping === one.path">
        <span class="settle">▲ are its results brought back?</span>
        <v-btn class="mini" @click="drop(one.path)">they are: remove it</v-btn>
        <v-btn class="mini" @click="dropping = ''">keep it</v-btn>
      </template>
      <v-btn v-else class="mini" @click="dropping = one.path">remove from this device…</v-btn>
    </p>
    <div v-if="packages?.length" class="wide">
      <table class="ledger">
        <thead>
          <tr>
            <th>package</th>
            <th>people</th>
            <th>days</th>
            <th class="n">points</th>
            <th class="n">checked</th>
            <th>is with</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in packages" :key="one.name">
            <td>
              <b>{{ one.name }}</b>
              <span v-if="one.twice.length" class="settle">
                ▲ {{ one.twice.length }} of its points are in another package as well</span
              >
              <span v-if="one.gone" class="settle"> ▲ {{ one.gone }} are no longer in the list</span>
            </td>
            <td>{{ one.people.join(', ') }}</td>
            <td class="figure">{{ days(one) }}</td>
            <td class="n figure">{{ one.points.length }}</td>
            <td class="n figure">{{ one.checked }}</td>
            <td>{{ one.away }}</td>
            <td>
              <div class="line">
                <template v-if="plant.may('edit')">
                  <v-btn class="act" :disabled="!!busy" @click="take(one, false)">{{
                    busy === one.name ? 'taking…' : 'take along as a file'
                  }}</v-btn>
                  <v-btn v-if="canKeep()" class="act" :disabled="!!busy" @click="take(one, true)"
                    >on this device</v-btn
                  >
                  <v-btn
                    v-if="
                      one.away &&
                      (one.away.includes(plant.session?.account ?? '\0') || plant.may('administer'))
                    "
                    class="act"
                    @click="letGo(one)"
                    >let it go</v-btn
                  >
                </template>
                <a
                  class="act"
                  :href="`/api/packages/${encodeURIComponent(one.name)}/sheets.pdf`"
                  target="_blank"
                  >sheets</a
                >
                <v-btn v-if="plant.may('edit')" class="act" @click="remove(one)">remove</v-btn>
              </div>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-else-if="packages" class="quiet">
      there is no package yet: choose points below and give them a name
    </p>
    <form v-if="plant.may('edit')" class="panel" @submit.prevent="make">
      <h2>make one</h2>
      <div class="line">
        <DenseField
          v-model="fresh.query"
          type="search"
          size="32"
          placeholder="kiln 2 signal:4-20"
          aria-label="which points"
        />
        <DenseField
          v-model="fresh.name"
          size="20"
          placeholder="name"
          aria-label="name of the package"
          maxlength="60"
          required
        />
        <DenseField v-model="fresh.people" size="20" placeholder="people, with commas" aria-label="people" />
        <DateField v-model="fresh.begins" placeholder="from" aria-label="from the day" />
        <DateField v-model="fresh.ends" placeholder="to" aria-label="to the day" />
        <v-btn class="act main" type="submit" :disabled="!found.length || found.length > 1000">make it</v-btn>
      </div>
      <p class="quiet small">
        {{
          found.length > 1000
            ? `${found.length} points are more than a package holds (1000): look for fewer`
            : found.length
              ? `${found.length} points: ${found
                  .slice(0, 12)
                  .map((p) => cell(p, 'tag'))
                  .join(', ')}${found.length > 12 ? ' …' : ''}`
              : 'points are found as in the list; they are gone through in its order'
        }}
      </p>
    </form>
    <BringBack @brought="load" />
  </section>
</template>

<style scoped src="../parts/check/desk.css"></style>

<style scoped>
.act {
  text-decoration: none;
}
</style>
