import { afterEach, expect, test } from 'vitest'
import { cleared, mounted, plantOf, settled } from '../../testing/mounted'
import LiveCard from './LiveCard.vue'

afterEach(cleared)

const card = async (stations: (number | null)[]) => {
  plantOf()
  const box = await mounted(LiveCard, { point: 11, on: false, seconds: 300, stations, trend: null })
  await settled()
  return [...box.querySelectorAll('.stations li')].map((li) => li.textContent?.replace(/\s+/g, ' ').trim())
}

test('six stations stand in their order, each with what it is called', async () => {
  const lines = await card([300, 50, 12, 1.2, 16000, 300])
  expect(lines.map((line) => line!.split(' ')[0])).toEqual([
    'pipe',
    'device',
    'wires',
    'input',
    'counts',
    'value',
  ])
})

test('states are 0 and 1, counts are whole, and a large figure keeps its tenth', async () => {
  expect(await card([1, 0, 24, 1, 11236, 1123.6])).toEqual([
    'pipe 1', 'device 0', 'wires 24', 'input 1', 'counts 11236', 'value 1123.6',
  ]) // prettier-ignore
})

test('what is not known is a dash, and a figure below zero has the minus of all other pages', async () => {
  expect(await card([-10.171, null, 10.368, 1.0368, 12746, 10.171])).toEqual([
    'pipe −10.17', 'device –', 'wires 10.37', 'input 1.037', 'counts 12746', 'value 10.17',
  ]) // prettier-ignore
})
