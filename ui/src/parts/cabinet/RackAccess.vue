<script setup lang="ts">
/** How a rack is reached, field by field: over Modbus, or by name with user, password and certificate. */
import { computed, ref, watch } from 'vue'
import { api, ask, said, type Schemas } from '../../api/client'
import { usePlant } from '../../plant/store'
import type { Operation } from '../../plant/useHardware'
import ChoiceField from '../../kit/ChoiceField.vue'
import DenseField from '../../kit/DenseField.vue'

const props = defineProps<{ rack: Schemas['RackIn'] }>()
const emit = defineEmits<{ propose: [title: string, operations: Operation[]]; says: [words: string] }>()
const plant = usePlant()
const FIELDS = [
  ['name', 'name'],
  ['host', 'network address'],
  ['port', 'port'],
  ['unit', 'unit number'],
  ['period_ms', 'period, ms'],
  ['first_register', 'first register'],
  ['function', 'registers'],
  ['line', 'bits a second, bits, parity, stop'],
  ['path', 'path'],
  ['username', 'user name, if it wants one'],
  ['quiet_s', 'a topic is too old after, s (0: never)'],
  ['head', 'what its head is to say of itself'],
] as const
const LINKS = ['Modbus TCP', 'Modbus RTU over TCP', 'Modbus ASCII over TCP', 'Modbus RTU', 'Modbus ASCII', 'OPC UA', 'MQTT'] // prettier-ignore
/** A stand-in answers these alone. */
const SIMULATED = ['Modbus TCP', 'OPC UA', 'MQTT']
const SECURITIES: Record<string, string[]> = {
  'OPC UA': ['none', 'Basic256Sha256, signed', 'Basic256Sha256, encrypted', 'Aes128_Sha256_RsaOaep, encrypted', 'Aes256_Sha256_RsaPss, encrypted'],
  MQTT: ['none', 'TLS'],
} // prettier-ignore
const onPort = (link: string) => link === 'Modbus RTU' || link === 'Modbus ASCII'
const byName = (link: string) => link in SECURITIES
const OF_REGISTERS = ['unit', 'first_register', 'function']
const OF_NAMES = ['path', 'username']
/** The way that was chosen; another kind of way wants another kind of address before it can be proposed. */
const link = ref('')
const fields = computed(() => FIELDS.filter(([field]) => has(field)).map(([field, label]) => [field, called(field, label)] as const)) // prettier-ignore

function has(field: string) {
  if (field === 'line' || field === 'port') return onPort(link.value) === (field === 'line')
  if (OF_REGISTERS.includes(field)) return !byName(link.value)
  if (field === 'quiet_s') return link.value === 'MQTT'
  if (field === 'head') return link.value !== 'MQTT'
  return !OF_NAMES.includes(field) || byName(link.value)
}

function called(field: string, label: string) {
  if (field === 'host' && onPort(link.value)) return 'serial port'
  if (field === 'path')
    return link.value === 'MQTT' ? 'topics to listen for, when one looks' : 'path of its endpoint'
  return label
}
const wantsHost = computed(() => onPort(link.value) !== onPort(props.rack.link))
const texts = ref<Record<string, string>>({})

const path = () => ({ params: { path: { rack: props.rack.rack } } })
const password = ref('')
const hasPassword = ref(false)

async function keepPassword() {
  const answer = await ask(
    api.PUT('/api/racks/{rack}/password', { ...path(), body: { password: password.value } }),
  )
  if (answer.problem) return emit('says', said(answer.problem))
  hasPassword.value = answer.data.kept
  password.value = ''
  emit('says', answer.data.kept ? 'the password is kept' : 'there is no password any more')
}

async function readPassword() {
  hasPassword.value = false
  if (!byName(props.rack.link) || !plant.may('engineer')) return
  const answer = await ask(api.GET('/api/racks/{rack}/password', path()))
  hasPassword.value = answer.data?.kept ?? false
}

watch(
  () => props.rack,
  (rack) => {
    texts.value = Object.fromEntries(FIELDS.map(([f]) => [f, String(rack[f])]))
    link.value = rack.link
  },
  { immediate: true },
)
watch(
  () => props.rack.rack,
  () => {
    password.value = ''
    void readPassword()
  },
  { immediate: true },
)

function proposeField(field: string, title: string, text: string) {
  const was = String(props.rack[field as 'security'])
  if (text !== was)
    emit('propose', title, [{ do: 'change', what: 'rack', id: props.rack.rack, field, was, text }])
}

function relink(chosen: string) {
  link.value = chosen
  if (wantsHost.value) texts.value.host = onPort(chosen) ? '/dev/ttyUSB0' : ''
  else if (chosen !== props.rack.link) proposeLink()
}

function proposeLink() {
  const was = props.rack.link
  const host = wantsHost.value ? (texts.value.host ?? '') : ''
  emit('propose', `${was} → ${link.value}${host ? `, ${host}` : ''}`, [
    { do: 'change', what: 'rack', id: props.rack.rack, field: 'link', was, text: link.value, host },
  ])
}

function change(field: (typeof FIELDS)[number][0], label: string) {
  if (field === 'host' && wantsHost.value) return proposeLink()
  const was = String(props.rack[field])
  const text = texts.value[field] ?? ''
  if (text.trim() !== was)
    emit('propose', `${label}: ${was} → ${text}`, [
      { do: 'change', what: 'rack', id: props.rack.rack, field, was, text },
    ])
}
</script>

<template>
  <section class="access" aria-label="how it is reached">
    <label class="field small"
      >reached by
      <ChoiceField
        :model-value="link"
        :items="rack.stand_in ? SIMULATED : LINKS"
        aria-label="reached by"
        @update:model-value="relink"
    /></label>
    <label v-if="byName(link) && link === rack.link" class="field small"
      >protected by
      <ChoiceField
        :model-value="rack.security"
        :items="SECURITIES[link]!"
        aria-label="protected by"
        @update:model-value="proposeField('security', `protected by ${$event}`, String($event))"
    /></label>
    <p v-if="rack.trusted && rack.security !== 'none'" class="small quiet">
      trusted: SHA-256 <span class="figure print">{{ rack.trusted }}</span>
      <v-btn class="act" @click="proposeField('trusted', 'no certificate is trusted', '')">forget it</v-btn>
    </p>
    <p v-if="wantsHost" class="small settle">
      ▲ {{ onPort(link) ? 'which port of this machine is it on?' : 'at which network address is it?' }}
      <v-btn class="act" :disabled="!texts.host?.trim()" @click="proposeLink">
        {{ texts.host?.trim() ? `reach it at ${texts.host}` : 'type it below' }}
      </v-btn>
    </p>
    <label v-for="[field, label] in fields" :key="field" class="field small"
      >{{ label }}
      <DenseField v-model="texts[field]" class="figure setting" @change="change(field, label)" />
    </label>
    <label v-if="byName(rack.link)" class="field small"
      >{{ hasPassword ? 'another password' : 'password' }}
      <DenseField
        v-model="password"
        class="setting"
        type="password"
        autocomplete="off"
        :placeholder="hasPassword ? 'one is kept' : 'none'"
        @change="keepPassword"
      />
    </label>
  </section>
</template>

<style scoped>
.print {
  overflow-wrap: anywhere;
}
</style>
