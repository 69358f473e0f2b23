import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Command } from 'commander'
import { BadInput } from './bad-input'
import { addFlowCommands } from './flows'

const folder = mkdtempSync(join(tmpdir(), 'bugle-flows-'))
afterAll(() => rmSync(folder, { recursive: true }))
const FILE = join(folder, 'night.bugle.json')
writeFileSync(
  FILE,
  JSON.stringify({
    format: 'bugle-bundle/1',
    calendars: [
      { id: 'month-end', days: { nth: { n: -1, of: { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] }, in: 'month' } } },
    ],
    jobs: [{ id: 'j', expect: 'PT1M' }],
    flows: [
      {
        id: 'night',
        inputs: [
          { name: 'harbour', type: 'choice', options: ['orrin', 'stavin'], default: 'orrin' },
          { name: 'note', type: 'text' },
        ],
        steps: [
          { id: 'check', job: 'j', onFailure: { goTo: 'ticket' } },
          {
            id: 'count',
            job: 'j',
            expect: 'PT25H30M30S',
            after: [{ step: 'check' }],
            gate: { days: { calendar: 'month-end' } },
          },
          { id: 'far', job: 'j', after: [{ step: 'check' }], gate: { input: 'harbour', equals: 'stavin' } },
          { id: 'in', flow: 'inner', after: [{ step: 'check' }] },
          { id: 'ticket', job: 'j' },
        ],
      },
      { id: 'inner', steps: [{ id: 'x', job: 'j' }] },
      {
        id: 'noted',
        inputs: [{ name: 'note', type: 'text' }],
        steps: [{ id: 'a', job: 'j', gate: { input: 'note', equals: 'x' } }],
      },
      { id: 'nothing', steps: [] },
      {
        id: 'counted',
        steps: [
          { id: 'check', job: 'j' },
          { id: 'mend', job: 'j', after: [{ step: 'check' }], gate: { value: 'check.count', not: 0 } },
        ],
      },
    ],
  }),
)

async function bugle(...args: string[]): Promise<unknown> {
  const printed: unknown[] = []
  const program = new Command().exitOverride()
  addFlowCommands(program, (value) => void printed.push(JSON.parse(JSON.stringify(value))))
  await program.parseAsync(args, { from: 'user' })
  return printed[0]
}
const night = (...more: string[]): Promise<unknown> =>
  bugle('rehearse', FILE, '--flow', 'night', '--day', '2027-04-30', ...more)

describe('bugle rehearse', () => {
  it('takes what steps hand on, and says what it assumed without it', async () => {
    const counted = (...more: string[]): Promise<unknown> =>
      bugle('rehearse', FILE, '--flow', 'counted', '--day', '2027-04-30', ...more)
    const steps = { check: { state: 'succeeded' }, mend: { state: 'succeeded' } }
    expect(await counted()).toEqual({ flow: 'succeeded', steps, order: ['check', 'mend'], assumed: ['mend'] })
    expect(await counted('--value', 'check.count=3')).toEqual({ flow: 'succeeded', steps, order: ['check', 'mend'] })
    expect(await counted('--value', 'check.count=0.0')).toMatchObject({
      steps: { mend: { state: 'skipped', reason: 'gate' } },
      order: ['check'],
    })
    await expect(counted('--value', 'send.count=0')).rejects.toThrow('--value: there is no step send in counted.')
    await expect(counted('--value', 'check=0')).rejects.toThrow('--value: “check=0” is not step.name=value.')
  })

  it('says what would happen, by day, outcomes and inputs', async () => {
    expect(await night('--outcomes', 'in/x=lost', '--input', 'harbour=stavin')).toEqual({
      flow: 'failed',
      steps: {
        check: { state: 'succeeded' },
        count: { state: 'succeeded' },
        far: { state: 'succeeded' },
        in: { state: 'failed' },
        'in/x': { state: 'failed' },
        ticket: { state: 'skipped', reason: 'passed-over' },
      },
      order: ['check', 'count', 'far', 'in', 'in/x'],
    })
    expect(
      await bugle('rehearse', FILE, '--flow', 'night', '--day', '2027-04-29', '--outcomes', 'check=failed'),
    ).toEqual({
      flow: 'failed',
      steps: {
        check: { state: 'failed' },
        count: { state: 'skipped', reason: 'passed-over' },
        far: { state: 'skipped', reason: 'passed-over' },
        in: { state: 'skipped', reason: 'passed-over' },
        ticket: { state: 'succeeded' },
      },
      order: ['check', 'ticket'],
    })
  })

  it.each<[string, string[], RegExp]>([
    ['an unknown flow', ['rehearse', FILE, '--flow', 'day', '--day', '2027-04-30'], /^--flow: There is no flow day/],
    ['no flow', ['rehearse', FILE, '--day', '2027-04-30'], /^--flow ID is missing/],
    ['no day', ['rehearse', FILE, '--flow', 'night'], /^--day DAY is missing/],
    ['an impossible day', ['rehearse', FILE, '--flow', 'night', '--day', '2027-02-30'], /^--day: “2027-02-30”/],
    [
      'an input without a value',
      ['rehearse', FILE, '--flow', 'noted', '--day', '2027-04-30'],
      /^--input: The gate of a looks at the input note/,
    ],
  ])('refuses %s', async (_, args, message) => {
    await expect(bugle(...args)).rejects.toThrow(message)
    await expect(bugle(...args)).rejects.toBeInstanceOf(BadInput)
  })

  it.each<[string, string[], RegExp]>([
    ['an unknown step', ['--outcomes', 'send=failed'], /^--outcomes: there is no step send in night/],
    ['a flow step', ['--outcomes', 'in=failed'], /^--outcomes: in is a flow/],
    ['an unknown word', ['--outcomes', 'check=toString'], /^--outcomes: “toString” is not an outcome/],
    ['a step named twice', ['--outcomes', 'check=failed,check=lost'], /^--outcomes: check is named twice/],
    ['half a request', ['--outcomes', 'check'], /^--outcomes: “check” is not step=outcome/],
    ['an unknown input', ['--input', 'port=orrin'], /^--input: There is no input port/],
    [
      'a value that does not fit',
      ['--input', 'harbour=kelda'],
      /^--input: The input harbour is one of orrin, stavin, not “kelda”/,
    ],
    [
      'an input named twice',
      ['--input', 'harbour=orrin', '--input', 'harbour=stavin'],
      /^--input: harbour is named twice/,
    ],
    ['half an input', ['--input', 'harbour'], /^--input: “harbour” is not name=value/],
  ])('refuses %s', async (_, more, message) => {
    await expect(night(...more)).rejects.toThrow(message)
  })
})

describe('bugle critical', () => {
  it('gives the length, the chain, and the room of each step', async () => {
    expect(await bugle('critical', FILE, '--flow', 'night')).toMatchObject({
      length: 'PT25H31M30S',
      chain: ['check', 'count'],
      steps: { far: { earliestStart: 60, earliestFinish: 120, slack: 91_770 } },
    })
    expect(await bugle('critical', FILE, '--flow', 'nothing')).toEqual({ length: 'PT0S', chain: [], steps: {} })
  })

  it('closes the day gates of a day', async () => {
    expect(await bugle('critical', FILE, '--flow', 'night', '--day', '2027-04-29')).toMatchObject({
      length: 'PT2M',
      chain: ['check', 'far'],
      steps: { count: { earliestStart: 60, earliestFinish: 60, slack: 60 } },
    })
  })
})

describe('bugle draw', () => {
  const draw = async (...args: string[]): Promise<string> => {
    let written = ''
    const program = new Command().exitOverride()
    addFlowCommands(
      program,
      () => undefined,
      (text) => (written += text),
    )
    await program.parseAsync(['draw', FILE, ...args], { from: 'user' })
    return written
  }

  it('writes Mermaid: links, conditions, routes, gates and flows inside', async () => {
    expect(await draw('--flow', 'night')).toBe(
      `flowchart LR
  n0["check"]
  n1{{"count"}}
  n2{{"far"}}
  subgraph n3["in"]
    n4["x"]
  end
  n5["ticket"]
  n0 -.->|fails| n5
  n0 --> n1
  n0 --> n2
  n0 --> n3
`,
    )
  })

  it('writes an SVG whose bars are as long as the steps', async () => {
    const svg = await draw('--flow', 'night', '--as', 'svg')
    expect(svg.match(/<rect /g)?.length).toBeGreaterThanOrEqual(6)
    expect(svg).toContain('<tspan font-weight="600">count</tspan> 25:30:30')
    expect(svg.match(/stroke-dasharray/g)).toHaveLength(1)
  })

  it('refuses another kind', async () => {
    await expect(draw('--flow', 'night', '--as', 'png')).rejects.toThrow('--as: “png” is neither mermaid nor svg.')
  })
})
