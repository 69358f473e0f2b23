import { checkBundle } from '@/core/bundle/check'
import { FORMAT, type Bundle } from '@/core/bundle/schema'
import { agentFacts } from '@/core/forecast/agent-facts.test-help'
import type { Change } from '@/core/forecast/change'
import { changed, type Material } from '@/core/forecast/changed'
import { differenceOf } from '@/core/forecast/difference'
import { nightOf } from '@/core/forecast/night'
import { demandPicture } from '@/core/tuning/picture'
import type { Night, NightView, WhatIf } from '@/service/forecast/nights'

/** A night of two backups and a check that get in each other's way; instants are those of the next day but one. */
export const FROM = new Date(Math.ceil(Date.now() / 86_400_000) * 86_400_000 + 86_400_000).toISOString()
export const HOURS = 12

const checked = checkBundle({
  format: FORMAT,
  zone: 'UTC',
  pools: [{ id: 'data' }, { id: 'quay' }],
  agents: [
    { id: 'kelda-db1', slots: 1, pools: ['data'] },
    { id: 'kelda-app1', slots: 4, pools: ['quay'] },
  ],
  locks: [{ id: 'fares', units: 1 }],
  jobs: [
    { id: 'backup', title: 'Nightly backup', pool: 'data', command: 'true' },
    { id: 'check', title: 'Name check', pool: 'data', command: 'true' },
    { id: 'mail', title: 'Mail', pool: 'quay', command: 'true' },
  ],
  triggers: [
    {
      id: 'backup',
      title: 'Backup',
      start: { job: 'backup' },
      time: { at: ['02:00'] },
      window: { earliest: '00:30', latest: '03:30' },
    },
    { id: 'names', title: 'Names', start: { job: 'check' }, time: { at: ['02:10'] }, finishBy: '03:30' },
    { id: 'mails', title: 'Mails', start: { job: 'mail' }, time: { at: ['05:00'] } },
  ],
})
if (!checked.ok) throw new Error(JSON.stringify(checked.faults))
const bundle: Bundle = checked.bundle
const length = (
  minutes: number,
  isGuess = false,
): { samples: number[]; fails: number; isGuess: boolean; count: number } => ({
  samples: [minutes * 60],
  fails: 0,
  isGuess,
  count: isGuess ? 2 : 40,
})
export const MATERIAL: Material = {
  bundle,
  server: {
    agents: [agentFacts('kelda-db1', ['data']), agentFacts('kelda-app1', ['quay'])],
    lengths: { backup: length(60), check: length(60), mail: length(1, true) },
    open: [],
    startsOff: false,
  },
}
const begins = Math.floor(Date.parse(FROM) / 1000)

const viewOf = (material: Material, samples: number): NightView => ({
  forecast: nightOf(material, begins, HOURS, { samples }),
  demand: demandPicture(material, begins, HOURS),
})
export const withChanges = (changes: readonly Change[]): NightView => viewOf(changed(MATERIAL, changes), 0)

export const nightFor = (samples: number): Night => ({
  ...viewOf(MATERIAL, samples),
  names: {
    triggers: {
      backup: { id: 1, title: 'Backup', at: '02:00', window: { earliest: '00:30', latest: '03:30' }, finishBy: null },
      names: { id: 2, title: 'Names', at: '02:10', window: null, finishBy: '03:30' },
      mails: { id: 3, title: 'Mails', at: '05:00', window: null, finishBy: null },
    },
    jobs: { backup: 'Nightly backup', check: 'Name check', mail: 'Mail' },
  },
  agents: ['kelda-db1', 'kelda-app1'],
  locks: ['fares'],
  poolOf: { backup: 'data', check: 'data', mail: 'quay' },
  limits: { amber: 90, red: 50 },
  leftOut: [],
  byEvents: [],
  guesses: ['mail'],
  jobs: 3,
})

export function whatIfOf(changes: readonly Change[]): WhatIf {
  const [before, after] = [viewOf(MATERIAL, 20), viewOf(changed(MATERIAL, changes), 20)]
  return { before, after, difference: differenceOf(before.forecast, after.forecast) }
}

/** The address of the night, with more. */
export const at = (more: Readonly<Record<string, string>> = {}): string =>
  `/tuning?${new URLSearchParams({ from: FROM, hours: String(HOURS), ...more }).toString()}`
