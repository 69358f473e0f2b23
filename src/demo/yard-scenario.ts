import type { Role } from '@/core/people/roles'
import type { z } from 'zod'
import type { triggerDefinitionSchema } from '@/core/work/trigger'
import type { Behaviour, DemoMachine } from './scenario'

// Stavin Yard: a small dry dock on the same server as the ferries, and strictly apart from them.

export const YARD_TITLE = 'Stavin Yard'

/** Torvald Brekke designs for the ferries, too: the one person of both. */
export const YARD_PEOPLE: readonly { name: string; role: Role }[] = [
  { name: 'Bram Ostrander', role: 'administrator' },
  { name: 'Torvald Brekke', role: 'designer' },
  { name: 'Ailsa Rourke', role: 'operator' },
]

export const YARD_MACHINE: DemoMachine = {
  name: 'yard-office1',
  system: 'Debian GNU/Linux 12 (bookworm)',
  slots: 2,
  labels: { site: 'yard', os: 'linux' },
  pools: [],
}

export interface YardJob {
  readonly title: string
  readonly area: 'Dock' | 'Office'
  readonly notes: string
  readonly command: string
  readonly trigger: Omit<z.input<typeof triggerDefinitionSchema>, 'zone'>
  readonly behaviour: Behaviour
}

const acts = (seconds: number, lines: readonly string[], fails = 0.004, failLine = 'no answer'): Behaviour => ({
  seconds,
  spread: 0.15,
  fails,
  failLine,
  failExit: 1,
  lines,
})

export const YARD_JOBS: readonly YardJob[] = [
  {
    title: 'Water in the dock',
    area: 'Dock',
    notes: 'Levels at the gate and at the sill; the pumps start by themselves.',
    command: 'dock-level --gate --sill',
    trigger: { time: { every: { step: 'PT15M', from: '00:05', until: '23:50' } }, overlap: 'skip' },
    behaviour: acts(14, ['gate {n} mm', 'sill {m} mm', 'stored'], 0.01, 'sensor at the sill does not answer'),
  },
  {
    title: 'Pump hours',
    area: 'Dock',
    notes: '',
    command: 'pump-hours --all',
    trigger: { time: { at: ['05:30', '17:30'] } },
    behaviour: acts(70, ['{m} hours since the last service', 'written']),
  },
  {
    title: 'Steel and paint on order',
    area: 'Office',
    notes: 'Asks the suppliers what comes when.',
    command: 'orders --ask-suppliers',
    trigger: { time: { at: ['06:30'] }, on: { calendar: 'working-days' } },
    behaviour: acts(
      240,
      ['{n} lines on order', '{m} late', 'list sent to the office'],
      0.05,
      'one supplier does not answer',
    ),
  },
  {
    title: 'Welding records',
    area: 'Office',
    notes: 'What was welded today goes to the surveyor.',
    command: 'welding-records --day today --to surveyor',
    trigger: { time: { at: ['18:15'] }, on: { calendar: 'working-days' } },
    behaviour: acts(130, ['{m} seams', 'signed', 'sent']),
  },
  {
    title: 'Back up the drawings',
    area: 'Office',
    notes: '',
    command: 'backup /srv/drawings',
    trigger: { time: { at: ['02:30'] }, finishBy: '05:00' },
    behaviour: acts(1500, ['{n} files looked at', '{m} changed', 'copied, checksums ok']),
  },
]
