<script setup lang="ts">
/** Issues of the list: what changed since the last one, putting up, signing, and any two compared as a redline. */
import { useEventListener } from '@vueuse/core'
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { ask, api, type Schemas } from '../api/client'
import { usePlant } from '../plant/store'
import { useViews } from '../plant/views'
import { clock } from '../plant/words'
import { useEscape } from '../plant/escape'
import RedlineHead from '../parts/RedlineHead.vue'
import DenseField from '../kit/DenseField.vue'
import ChoiceField from '../kit/ChoiceField.vue'

type Revision = Schemas['RevisionOut']
const plant = usePlant()
const views = useViews()
const route = useRoute()
const router = useRouter()
const all = shallowRef<Schemas['RevisionsOut'] | null>(null)
const found = shallowRef<Schemas['DifferencesOut'] | null>(null)
const from = ref(Number(route.query.from) || 0)
const to = ref(Number(route.query.to) || 0)
const says = ref('')
const mark = ref('')
const note = ref('')
const openReason = ref('')
const signing = ref<{ revision: Revision; meaning: 'checked' | 'issued' | 'withdrawn' } | null>(null)
const password = ref('')
const name = ref('')
const remark = ref('')

const WORDS = { checked: 'I have checked it', issued: 'I issue it', withdrawn: 'I withdraw it' } as const
const waiting = computed(() => all.value?.revisions.find((r) => ['in check', 'checked'].includes(r.state)))

function take(answer: { data?: Schemas['RevisionsOut']; problem?: Schemas['Problem'] }): boolean {
  if (!answer.data) {
    says.value = answer.problem
      ? [answer.problem.title, answer.problem.remedy].filter(Boolean).join(' · ')
      : ''
    return false
  }
  says.value = ''
  all.value = answer.data
  mark.value = answer.data.next_mark
  return true
}

const compared = computed(() =>
  (all.value?.revisions ?? []).filter((r) => [from.value, to.value].includes(r.id)),
)
const printed = ref('')
const dated = () => (printed.value = new Date().toLocaleString())
useEventListener('beforeprint', dated)

onMounted(async () => {
  take(await ask(api.GET('/api/revisions')))
  if (!from.value)
    from.value =
      all.value?.revisions.find((r) => r.state === 'issued')?.id ?? all.value?.revisions[0]?.id ?? 0
  await compare()
})
watch([from, to], () => {
  void router.replace({ query: { from: String(from.value), to: String(to.value) } })
  void compare()
})

async function compare() {
  found.value = null
  if (!from.value) return
  const answer = await ask(
    api.GET('/api/revisions/{revision}/differences', {
      params: { path: { revision: from.value }, query: { against: to.value } },
    }),
  )
  if (answer.problem) return (says.value = answer.problem.title)
  found.value = answer.data
}

async function putUp() {
  const body = { mark: mark.value.trim(), note: note.value, open_reason: openReason.value }
  if (!take(await ask(api.POST('/api/revisions', { body })))) return
  plant.say(`revision ${body.mark} is put up for check`)
  note.value = openReason.value = ''
}

async function sign() {
  if (!signing.value) return
  const { revision, meaning } = signing.value
  const answer = await ask(
    api.POST('/api/revisions/{revision}/signatures', {
      params: { path: { revision: revision.id } },
      body: { meaning, password: password.value, name: name.value, remark: remark.value },
    }),
  )
  password.value = ''
  if (!take(answer)) return
  signing.value = null
  plant.say(`revision ${revision.mark} is ${meaning}`)
}

const label = (field: string) => {
  const known = views.fields.get(field)
  return known ? `${known.station.toLowerCase()} ${known.label}` : field
}
const toPaper = () => window.print()

// In a loop a named reference would be a list of forms.
const box = ref<HTMLElement | null>(null)
const isForm = (form: unknown) => void (box.value = form as HTMLElement | null)
useEscape(() => signing.value, () => (signing.value = null), box) // prettier-ignore
</script>

<template>
  <section class="revisions">
    <header>
      <router-link to="/handover" class="quiet small noprint">Handover</router-link>
      <h1>issues of the list</h1>
      <span v-if="all?.issued" class="chip" :class="{ settle: all.changed }">
        {{
          all.changed
            ? `▲ ${all.changed} points changed since revision ${all.issued}`
            : `as in revision ${all.issued}`
        }}
      </span>
    </header>
    <p v-if="says" class="bad" role="alert">■ {{ says }}</p>
    <div class="two">
      <div class="left noprint">
        <article v-for="one in all?.revisions ?? []" :key="one.id" class="card">
          <p>
            <b class="figure">{{ one.mark }}</b>
            <span class="chip" :class="{ on: one.state === 'issued' }">{{ one.state }}</span>
            <span class="quiet small">
              {{ one.points }} points, {{ one.findings }} findings · {{ one.who }}, {{ clock(one.at) }}</span
            >
          </p>
          <p v-if="one.note" class="small">{{ one.note }}</p>
          <p v-if="one.open_reason" class="small settle">
            ▲ put up with findings open: {{ one.open_reason }}
          </p>
          <p v-for="s in one.signatures" :key="s.hash" class="small">
            {{ s.meaning }} by {{ s.name }}
            <span class="quiet"
              >({{ s.who }}), {{ clock(s.at) }}{{ s.remark ? `: ${s.remark}` : '' }} ·
              <span class="figure">{{ s.hash.slice(0, 12) }}</span></span
            >
          </p>
          <p class="small quiet">
            content <span v-tip="one.hash" class="figure">{{ one.hash.slice(0, 16) }}</span>
          </p>
          <p class="keys">
            <template v-if="plant.may('engineer')">
              <v-btn
                v-if="one.state === 'in check'"
                class="act main"
                @click="signing = { revision: one, meaning: 'checked' }"
              >
                check…
              </v-btn>
              <v-btn
                v-if="one.state === 'checked'"
                class="act main"
                @click="signing = { revision: one, meaning: 'issued' }"
              >
                issue…
              </v-btn>
              <v-btn
                v-if="['in check', 'checked'].includes(one.state)"
                class="act"
                @click="signing = { revision: one, meaning: 'withdrawn' }"
              >
                withdraw…
              </v-btn>
            </template>
            <v-btn class="act" @click="((from = one.id), (to = 0))">what changed since</v-btn>
            <a class="act" :href="`/api/revisions/${one.id}/document`" download>document</a>
          </p>
          <form
            v-if="signing?.revision.id === one.id"
            :ref="isForm"
            class="panel side"
            @submit.prevent="sign"
          >
            <p>
              <b>{{ WORDS[signing.meaning] }}</b>: revision {{ one.mark }}, content
              <span class="figure">{{ one.hash.slice(0, 16) }}</span>
            </p>
            <p class="field">
              <span>name</span
              ><DenseField
                v-model="name"
                class="setting"
                maxlength="80"
                autocomplete="name"
                aria-label="name"
              />
            </p>
            <p class="field">
              <span>your password</span
              ><DenseField
                v-model="password"
                class="setting"
                type="password"
                autocomplete="current-password"
                aria-label="your password"
              />
            </p>
            <p class="field">
              <span>remark</span
              ><DenseField v-model="remark" class="setting" maxlength="400" aria-label="remark" />
            </p>
            <p class="keys">
              <v-btn type="submit" class="act main" :disabled="name.trim().length < 2 || !password">
                sign
              </v-btn>
              <v-btn class="act" @click="signing = null">not now</v-btn>
            </p>
            <p class="small quiet">A signature cannot be taken back. No password yet? Set one under “You”.</p>
          </form>
        </article>
        <p v-if="all && !all.revisions.length" class="quiet">
          Nothing was issued yet. A revision freezes the list with its module types, rules and findings; it is
          checked by somebody else, then issued, and never changes.
        </p>
        <form v-if="plant.may('engineer') && !waiting" class="card" @submit.prevent="putUp">
          <h2>put the list up for check</h2>
          <p class="field">
            <span>revision</span
            ><DenseField v-model="mark" class="setting figure" maxlength="20" aria-label="revision mark" />
          </p>
          <p class="field">
            <span>what it is for</span
            ><DenseField v-model="note" class="setting" maxlength="400" aria-label="what it is for" />
          </p>
          <template v-if="all?.bad">
            <p class="small bad">
              ■ {{ all.bad }} findings are bad: settle them, or say why the list goes out with them open
            </p>
            <p class="field">
              <span>why</span
              ><DenseField
                v-model="openReason"
                class="setting"
                maxlength="400"
                aria-label="why with findings open"
              />
            </p>
          </template>
          <v-btn type="submit" class="act main" :disabled="!mark.trim()">put up</v-btn>
        </form>
      </div>
      <div class="right">
        <p v-if="all?.revisions.length" class="pick noprint">
          from
          <ChoiceField
            v-model="from"
            aria-label="from"
            :items="all.revisions.map((one) => ({ value: one.id, title: `revision ${one.mark}` }))"
          />
          to
          <ChoiceField
            v-model="to"
            aria-label="to"
            :items="[
              { value: 0, title: 'the list now' },
              ...all.revisions.map((one) => ({ value: one.id, title: `revision ${one.mark}` })),
            ]"
          />
          <v-btn v-if="found" class="act" @click="toPaper">print the redline</v-btn>
        </p>
        <RedlineHead
          v-if="found"
          :was="found.was"
          :becomes="found.becomes"
          :revisions="compared"
          :printed="printed"
        />
        <template v-if="found">
          <h2>
            {{ found.was }} → {{ found.becomes }}: {{ found.points.length }} point{{
              found.points.length === 1 ? ' differs' : 's differ'
            }}
          </h2>
          <p v-if="!found.points.length && !found.others.length" class="quiet">no difference</p>
          <ul v-if="found.others.length" class="small others">
            <li v-for="other in found.others" :key="other">{{ other }}</li>
          </ul>
          <table class="small">
            <tr v-for="point in found.points.slice(0, 2000)" :key="point.point" :class="point.kind">
              <td class="figure tag">
                <s v-if="point.kind === 'removed'">{{ point.tag }}</s>
                <router-link v-else :to="`/point/${point.point}`">{{ point.tag }}</router-link>
              </td>
              <td>
                <p>
                  {{ point.kind === 'added' ? 'new: ' : '' }}{{ point.words.slice(0, 8).join('; ')
                  }}{{ point.words.length > 8 ? ` and ${point.words.length - 8} more` : ''
                  }}<b v-if="point.moves">: {{ point.moves }}</b>
                </p>
                <p v-if="point.kind === 'changed'" class="cells figure">
                  <span v-for="cell in point.cells" :key="cell[0]" v-tip="label(cell[0]!)"
                    ><s>{{ cell[1] || 'empty' }}</s> <ins>{{ cell[2] || 'empty' }}</ins>
                  </span>
                </p>
              </td>
            </tr>
          </table>
          <p v-if="found.points.length > 2000" class="quiet">and {{ found.points.length - 2000 }} more</p>
        </template>
      </div>
    </div>
  </section>
</template>

<style scoped>
.revisions {
  height: 100%;
  padding: 14px 20px;
  overflow: auto;
}

header {
  display: flex;
  align-items: baseline;
  gap: 12px;
  margin-bottom: 8px;
}

h1 {
  font-size: 17px;
}

h2 {
  margin: 0 0 6px;
  font-size: 14px;
}

p {
  margin: 0 0 3px;
}

.two {
  display: grid;
  grid-template-columns: minmax(300px, 420px) minmax(0, 1fr);
  gap: 20px;
}

.left {
  display: grid;
  align-content: start;
  gap: 8px;
}

.card > p:first-child {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 8px;
}

.pick {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 8px;
  margin-bottom: 8px;
}

.act {
  padding: 0 9px;
  text-decoration: none;
}

table {
  width: 100%;
  border-collapse: collapse;
}

td {
  padding: 3px 10px 3px 0;
  border-bottom: 1px solid rgb(var(--v-theme-line));
  vertical-align: top;
}

.tag {
  font-weight: 600;
  white-space: nowrap;
}

.tag a {
  color: inherit;
}

.cells span {
  margin-right: 14px;
}

s {
  color: rgb(var(--v-theme-quiet));
}

ins {
  border-bottom: 2px solid rgb(var(--v-theme-copper));
  text-decoration: none;
}

.bad {
  color: rgb(var(--v-theme-bad));
}

.settle {
  color: rgb(var(--v-theme-settle));
}

.others {
  margin: 0 0 8px;
  padding-left: 18px;
}

@media print {
  .noprint {
    display: none !important;
  }

  .revisions {
    height: auto;
    overflow: visible;
  }

  .two {
    display: block;
  }
}
</style>
