<script setup lang="ts">
/** The punch list: raised with a photo, cleared by whoever mended it, closed by another person who looked. */
import { computed, onMounted, ref, shallowRef } from 'vue'
import { ask, api, said, type Schemas } from '../api/client'
import ChoiceField from '../kit/ChoiceField.vue'
import DenseField from '../kit/DenseField.vue'
import FilePick from '../kit/FilePick.vue'
import { smallJpeg } from '../kit/photo'
import { SEVERITIES, SEVERITY_SAYS, useTags } from '../plant/proving'
import { usePlant } from '../plant/store'
import { clock } from '../plant/words'

type Item = Schemas['PunchOut']
const plant = usePlant()
const { cell, pointOf } = useTags()
const items = shallowRef<Item[] | null>(null)
const closed = ref(false)
const only = ref<'' | 'A' | 'B' | 'C'>('')
const query = ref('')
const says = ref('')
const at = ref(0)
const how = ref('')
const fresh = ref({ where: '', what: '', severity: 'B' as 'A' | 'B' | 'C', owner: '', photo: '' })

async function load() {
  const answer = await ask(api.GET('/api/punches', { params: { query: { closed: closed.value } } }))
  if (answer.problem) return (says.value = said(answer.problem))
  items.value = answer.data.items
}
onMounted(load)

const label = (name: string) => plant.plant?.fields.find((f) => f.name === name)?.label ?? name
/** Past its day, and nobody said that it is mended. A month is over with its last day. */
const late = (x: Item) =>
  x.state === 'open' && `${x.due}-31`.slice(0, 10) < new Date().toLocaleDateString('sv')
const where = (x: Item) => (x.point ? cell(x.point, 'tag') || 'gone from the list' : x.place)
const shown = computed(() => {
  const words = query.value.toLowerCase().split(/\s+/).filter(Boolean)
  return (items.value ?? []).filter((x) => {
    const text = `${where(x)} ${x.what} ${x.owner} ${x.who} ${cell(x.point, 'area')} ${cell(x.point, 'system')}`
    return (!only.value || x.severity === only.value) && words.every((w) => text.toLowerCase().includes(w))
  })
})
/** The point that is meant, none for a place. */
const meant = computed(() => pointOf(fresh.value.where))
const count = (severity: string) =>
  (items.value ?? []).filter((x) => x.severity === severity && x.state !== 'closed').length

async function photo(event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (!file) return
  try {
    fresh.value.photo = await smallJpeg(file)
  } catch {
    says.value = `“${file.name}” is no picture that this browser can read`
  }
}

async function raise() {
  const { where: place, ...body } = fresh.value
  const point = pointOf(place)
  const answer = await ask(
    api.POST('/api/punches', { body: { ...body, point: point ?? 0, place: point ? '' : place } }),
  )
  if (answer.problem) return (says.value = said(answer.problem))
  says.value = ''
  fresh.value = { ...fresh.value, where: '', what: '', photo: '' }
  await load()
}

async function step(item: Item, what: 'clear' | 'close' | 'open') {
  const answer = await ask(
    api.POST(`/api/punches/{number}/${what}`, {
      params: { path: { number: item.id } },
      body: { how: how.value },
    }),
  )
  if (answer.problem) return (says.value = said(answer.problem))
  says.value = how.value = ''
  at.value = 0
  await load()
}
</script>

<template>
  <section class="desk">
    <header>
      <h1>punch list</h1>
      <v-btn
        v-for="s in SEVERITIES"
        :key="s"
        v-tip="SEVERITY_SAYS[s]"
        class="chip"
        :class="{ on: only === s, bad: s === 'A' && count(s) }"
        :aria-pressed="only === s"
        @click="only = only === s ? '' : s"
        >{{ count(s) }} {{ s }}</v-btn
      >
      <span class="gap" />
      <DenseField v-model="query" type="search" placeholder="find" aria-label="find an item" />
      <v-checkbox v-model="closed" label="closed ones too" @update:model-value="load" />
    </header>
    <p v-if="says" class="bad" role="status">■ {{ says }}</p>
    <form v-if="plant.may('edit')" class="panel" @submit.prevent="raise">
      <h2>raise one</h2>
      <div class="line">
        <DenseField
          v-model="fresh.where"
          class="figure"
          size="14"
          placeholder="tag, or where"
          aria-label="tag, or where"
          maxlength="80"
          required
        />
        <DenseField
          v-model="fresh.what"
          size="44"
          placeholder="what is to be mended"
          aria-label="what is to be mended"
          maxlength="1000"
          required
        />
        <ChoiceField
          v-model="fresh.severity"
          aria-label="how bad"
          :items="SEVERITIES.map((value) => ({ value, title: SEVERITY_SAYS[value] }))"
        />
        <DenseField
          v-model="fresh.owner"
          size="14"
          placeholder="who mends it"
          aria-label="who mends it"
          maxlength="80"
        />
        <FilePick class="act" accept="image/*" capture="environment" aria-label="photo" @change="photo">{{
          fresh.photo ? 'another photo…' : 'photo…'
        }}</FilePick>
        <v-btn class="act main" type="submit">raise it</v-btn>
      </div>
      <p v-if="fresh.where.trim()" class="small" :class="{ settle: !meant }" role="status">
        <template v-if="meant">at {{ cell(meant, 'tag') }}, {{ cell(meant, 'service') }}</template>
        <template v-else
          >▲ no point is called so: it is raised at a place of that name, and keeps no point from being
          accepted</template
        >
      </p>
      <img
        v-if="fresh.photo"
        :src="`data:image/jpeg;base64,${fresh.photo}`"
        alt="the photo that goes with it"
      />
    </form>
    <div v-if="shown.length" class="wide">
      <table class="ledger">
        <thead>
          <tr>
            <th></th>
            <th class="n">item</th>
            <th>where</th>
            <th>what</th>
            <th>whose</th>
            <th>raised</th>
            <th>mended</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="x in shown" :key="x.id">
            <td
              v-tip="SEVERITY_SAYS[x.severity as 'A']"
              :class="{ bad: x.severity === 'A' && x.state !== 'closed' }"
            >
              {{ x.state === 'closed' ? '✓' : x.severity === 'A' ? '■' : '▲' }} {{ x.severity }}
            </td>
            <td class="n figure">{{ x.id }}</td>
            <td>
              <router-link v-if="x.point" class="figure tag" :to="`/check/${x.point}`">{{
                where(x)
              }}</router-link>
              <template v-else>{{ where(x) }}</template>
            </td>
            <td>
              {{ x.what }}
              <a v-if="x.photo" :href="`/api/punches/${x.id}/photo`" target="_blank">photo</a>
              <span v-for="edit in x.edits" :key="`${edit.point} ${edit.field}`" class="small quiet after">
                once mended, {{ cell(edit.point, 'tag') }} {{ label(edit.field) }}
                <span class="figure">{{ edit.was || 'empty' }} → {{ edit.text || 'empty' }}</span>
              </span>
            </td>
            <td>
              {{ x.owner || 'nobody'
              }}<template v-if="x.due"
                >, by <span :class="{ settle: late(x) }">{{ x.due }}</span></template
              >
            </td>
            <td>{{ x.who }}, {{ clock(x.at) }}</td>
            <td>
              <template v-if="x.cleared_at">{{ x.cleared_by }}: {{ x.cleared_how }}</template>
              <template v-if="x.closed_at"> · closed by {{ x.closed_by }} {{ x.closed_how }}</template>
            </td>
            <td>
              <form
                v-if="at === x.id"
                class="line"
                @submit.prevent="step(x, x.state === 'open' ? 'clear' : 'close')"
              >
                <DenseField
                  v-model="how"
                  size="22"
                  maxlength="400"
                  :placeholder="x.state === 'open' ? 'how it was mended' : 'what you saw'"
                  :aria-label="x.state === 'open' ? 'how it was mended' : 'what you saw'"
                />
                <v-btn class="act main" type="submit">{{ x.state === 'open' ? 'mended' : 'close it' }}</v-btn>
                <v-btn v-if="x.state === 'cleared'" class="act" @click="step(x, 'open')">not so</v-btn>
              </form>
              <v-btn
                v-else-if="x.state !== 'closed' && plant.may('edit')"
                class="act"
                @click="((at = x.id), (how = ''))"
                >{{ x.state === 'open' ? 'mended…' : 'look at it…' }}</v-btn
              >
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-else-if="items" class="quiet">
      {{ items.length ? 'nothing of that kind' : 'nothing is to be mended' }}
    </p>
  </section>
</template>

<style scoped src="../parts/check/desk.css"></style>

<style scoped>
img {
  max-width: 200px;
}

.after {
  display: block;
}
</style>
