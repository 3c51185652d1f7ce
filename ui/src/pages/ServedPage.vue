<script setup lang="ts">
/**
 * What other systems read of the plant: the doors that stand open, whose certificates are trusted, which outputs were given
 * away for writing, and what was written.
 */
import { useIntervalFn } from '@vueuse/core'
import { computed, onMounted, ref, shallowRef } from 'vue'
import { ask, api, said, type Schemas } from '../api/client'
import DenseField from '../kit/DenseField.vue'
import { useTags } from '../plant/proving'
import { usePlant } from '../plant/store'

const LOOK_MS = 5000
const plant = usePlant()
const { pointOf } = useTags()
const told = shallowRef<Schemas['ServedOut'] | null>(null)
const wrong = ref('')
const away = ref('')
const tag = ref('')
const why = ref('')
const minutes = ref('30')

async function look() {
  const answer = await ask(api.GET('/api/served'))
  if (answer.problem) return void (away.value = said(answer.problem))
  away.value = ''
  told.value = answer.data
}
onMounted(look)
useIntervalFn(() => void look(), LOOK_MS)

type Answer = { data?: Schemas['ServedOut']; problem?: Schemas['Problem'] }
function heard(answer: Answer): boolean {
  wrong.value = answer.problem ? said(answer.problem) : ''
  if (answer.data) told.value = answer.data
  return !answer.problem
}
const trust = async (fingerprint: string, trusted: boolean) =>
  heard(await ask(api.POST('/api/served/trust', { body: { fingerprint, trusted } })))
const takeBack = async (ids: number[]) =>
  heard(await ask(api.POST('/api/served/give/end', { body: { ids } })))
async function give() {
  const point = pointOf(tag.value.trim())
  if (!point) return void (wrong.value = `no point of the list is called “${tag.value.trim()}”`)
  const count = Number(minutes.value)
  if (!Number.isInteger(count) || count < 1 || count > 480)
    return void (wrong.value = 'for how long: whole minutes, 1 to 480')
  const body = { points: [point], why: why.value, minutes: count }
  if (heard(await ask(api.POST('/api/served/give', { body })))) tag.value = why.value = ''
}
const alive = computed(() => told.value?.servers.filter((s) => s.alive) ?? [])
const when = (at: string) => new Date(at).toLocaleString()
const left = (until: string) => Math.max(0, Math.ceil((new Date(until).getTime() - Date.now()) / 60_000))
const expired = (c: Schemas['ClientCertificateOut']) => new Date(c.expires).getTime() < Date.now()
const pairs = (mark: string) => mark.match(/.{1,8}/g)!.join(' ')
</script>

<template>
  <section class="served leaf">
    <header>
      <h1>Served to other systems</h1>
      <span class="quiet"
        >{{ told?.published ?? 0 }} points have a register ·
        <router-link to="/registers">register map</router-link></span
      >
    </header>
    <p v-if="away" class="bad" role="alert">■ {{ away }}</p>
    <p v-if="wrong" class="bad" role="alert">■ {{ wrong }}</p>
    <template v-if="told">
      <section class="panel" aria-label="doors">
        <p v-if="!alive.length" class="quiet">
          Nobody serves this plant now. On any machine that reaches its database:
          <code>./canaleta serve --opcua 0.0.0.0:4840 --modbus 0.0.0.0:5020</code>
        </p>
        <div v-for="s in alive" :key="s.name" class="server">
          <p>
            <b>{{ s.name }}</b> <span class="quiet small">served by {{ s.holder.split(':')[0] }}</span>
          </p>
          <div class="doors">
            <article
              v-for="d in s.doors"
              :key="d.kind"
              class="door"
              :class="{ shut: d.wrong.some((w) => !w.point) }"
            >
              <b>{{ d.kind }}</b>
              <span class="figure small">{{ d.at }}</span>
              <span
                >{{ d.points }} points · {{ d.clients }} {{ d.clients === 1 ? 'client' : 'clients' }}</span
              >
              <span v-if="d.refused" class="small settle">▲ {{ d.refused }} not let in</span>
              <span v-if="d.open" class="small settle">▲ anybody may read here</span>
              <span v-for="w in d.wrong" :key="w.point" class="small bad">■ {{ w.says }}</span>
            </article>
          </div>
        </div>
        <details v-if="told.wrong.length" class="small">
          <summary class="bad">■ {{ told.wrong.length }} points cannot be served at their register</summary>
          <p v-for="w in told.wrong" :key="w.point">
            <router-link :to="`/point/${w.point}`">{{ w.says }}</router-link>
          </p>
        </details>
      </section>
      <section class="panel" aria-label="given away">
        <h2>Given away for writing</h2>
        <p v-if="!told.given.length" class="quiet">Nothing: other systems read, and write nowhere.</p>
        <p v-for="g in told.given" :key="g.id" class="row">
          <router-link class="figure" :to="`/point/${g.point}`">{{ g.tag }}</router-link>
          <span>{{ g.why }}</span>
          <span class="quiet small">by {{ g.who }}, {{ left(g.until) }} min left</span>
          <v-btn v-if="plant.may('edit')" class="mini" @click="takeBack([g.id])">take it back</v-btn>
        </p>
        <form v-if="plant.may('engineer')" class="row" @submit.prevent="give">
          <DenseField v-model="tag" size="12" placeholder="ZV-2151" aria-label="output to give away" />
          <DenseField
            v-model="why"
            size="30"
            maxlength="400"
            placeholder="why, and to whom"
            aria-label="why it is given away"
          />
          <DenseField v-model="minutes" size="4" inputmode="numeric" aria-label="for how many minutes" /> min
          <v-btn type="submit" class="act" :disabled="!tag.trim() || !why.trim()">give it away</v-btn>
        </form>
        <details v-if="told.writes.length" open>
          <summary>what was written</summary>
          <div class="wide">
            <table>
              <thead>
                <tr>
                  <th>when</th>
                  <th>point</th>
                  <th>value</th>
                  <th>by</th>
                  <th>what became of it</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="w in told.writes" :key="w.id">
                  <td>{{ when(w.at) }}</td>
                  <td class="figure">{{ w.tag }}</td>
                  <td class="figure">{{ w.value }}</td>
                  <td>{{ w.by }}, {{ w.door }}</td>
                  <td :class="{ bad: !w.done }">{{ w.done ? 'written' : `■ ${w.says || 'not written'}` }}</td>
                </tr>
              </tbody>
            </table>
          </div>
        </details>
      </section>
      <section class="panel" aria-label="certificates">
        <h2>Clients by their certificates</h2>
        <p v-if="!told.certificates.length" class="quiet">
          No OPC UA client showed one yet. The first time it is turned away, and stands here to be trusted.
        </p>
        <div v-for="c in told.certificates" :key="c.fingerprint" class="client">
          <span class="mark" :class="c.trusted ? '' : 'settle'" aria-hidden="true">{{
            c.trusted ? '✓' : '▲'
          }}</span>
          <div>
            <p class="row">
              <b>{{ c.name }}</b>
              <span v-if="expired(c)" class="bad">■ expired {{ when(c.expires) }}</span>
              <span v-else class="quiet small">until {{ new Date(c.expires).toLocaleDateString() }}</span>
            </p>
            <p class="figure small print">SHA-256 {{ pairs(c.fingerprint) }}</p>
            <p class="quiet small">
              {{ c.trusted ? `trusted by ${c.trusted_by}` : 'not let in' }} · seen {{ when(c.last) }}
            </p>
          </div>
          <v-btn
            v-if="plant.may('engineer') && (c.trusted || !expired(c))"
            class="mini"
            @click="trust(c.fingerprint, !c.trusted)"
            >{{ c.trusted ? 'trust no more' : 'trust' }}</v-btn
          >
        </div>
      </section>
    </template>
  </section>
</template>

<style scoped>
table {
  min-width: 560px;
}

.doors {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(240px, 1fr));
  gap: 10px;
  margin-top: 6px;
}

.door {
  display: grid;
  gap: 2px;
  align-content: start;
  padding: 8px 12px;
  border: 1px solid rgb(var(--v-theme-line));
  border-left: 5px solid rgb(var(--v-theme-copper));
}

.door.shut {
  border-left-color: rgb(var(--v-theme-bad));
}

.served a {
  color: inherit;
}

.client {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr) auto;
  gap: 10px;
  align-items: start;
  padding-top: 8px;
  border-top: 1px solid rgb(var(--v-theme-line));
}

.print {
  overflow-wrap: anywhere;
}

code {
  overflow-wrap: anywhere;
}

.mark.settle {
  color: rgb(var(--v-theme-settle));
}
</style>
