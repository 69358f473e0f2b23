import { ADMIN, OPERATOR, VIEWER, freshDatabase } from '@/store/database.test-help'
import { execute, many, one, transaction } from '@/store/db'
import {
  advance,
  carryOut,
  endUnseen,
  hand,
  makeFlow,
  namedJob,
  picture,
  readySteps,
  startFlow,
  stepsOf,
} from './flow.test-help'
import { flowStory } from './flow-run-view'
import { holdStep, markStep, previewAgain, releaseStep, runStepsAgain } from './flow-runs'
import { importBundle } from '@/service/exchange/bundle-in'
import { exportBundle } from '@/service/exchange/bundle-out'
import { lockFlows } from './flow-state'
import { addFlow, oneFlow, removeFlow, saveFlow } from '@/service/work/flows'
import { stopsToDeliver } from '@/service/runs/delivery'
import { giveUpLost, releaseDue } from '@/service/runs/open-runs'
import { listMatters } from '@/service/runs/matters'
import { listRuns, runFilterSchema } from '@/service/runs/run-list'
import { stopRun } from '@/service/runs/start'
import { fire, makeCalendar } from '@/service/timing/timing.test-help'
import { removeJob } from '@/service/work/work'

freshDatabase()

const after = (...steps: string[]): { after: { step: string }[] } => ({ after: steps.map((step) => ({ step })) })

describe('a flow run', () => {
  it('goes from step to step, each as soon as what leads to it has ended', async () => {
    const { id } = await makeFlow([{ id: 'a' }, { id: 'b' }, { id: 'c', ...after('a', 'b') }])
    const run = await startFlow(id)
    expect(await picture(run)).toEqual(['running', 'a ready', 'b ready', 'c waiting'])
    await carryOut(run, 'a')
    expect(await picture(run)).toEqual(['running', 'a succeeded', 'b ready', 'c waiting'])
    await carryOut(run, 'b')
    await carryOut(run, 'c')
    expect(await picture(run)).toEqual(['succeeded', 'a succeeded', 'b succeeded', 'c succeeded'])
    const story = (await flowStory(VIEWER, run)).map(({ what, step }) => `${step ?? ''} ${what}`)
    expect(story[0]).toBe(' the flow began')
    expect(story.at(-1)).toBe(' the flow succeeded: Every step succeeded.')
  })

  it('takes routes, passes over, tolerates, and ends as its rules say', async () => {
    const { id } = await makeFlow([
      { id: 'reach', title: 'Reach check', onFailure: { goTo: 'ticket' } },
      { id: 'send', ...after('reach') },
      { id: 'tidy', onFailure: 'carryOn' },
      { id: 'last', ...after('tidy') },
      { id: 'ticket' },
    ])
    const run = await startFlow(id)
    await carryOut(run, 'reach', 1, 'no answer from the gateway')
    await carryOut(run, 'tidy', 1)
    await carryOut(run, 'last')
    await carryOut(run, 'ticket')
    expect(await picture(run)).toEqual([
      'failed',
      'reach failed',
      'send skipped passed-over',
      'tidy failed tolerated',
      'last succeeded',
      'ticket succeeded',
    ])
    const { reason } = await one<{ reason: string }>(null, 'SELECT reason FROM runs WHERE id = $1', [run])
    expect(reason).toBe('Reach check failed.')
  })

  it('lets an agent’s reports be stored while an engine is at the flow: neither waits for the other', async () => {
    const { id } = await makeFlow([{ id: 'a' }])
    const run = await startFlow(id)
    await transaction(async (tx) => {
      await lockFlows(tx, [run], 'wait')
      await endUnseen(run, 'a')
    })
    await advance()
    expect((await picture(run))[0]).toBe('succeeded')
  })

  it('counts runs of one flow that fail at the same moment to one matter', async () => {
    const flow = await makeFlow([{ id: 'a' }, { id: 'b' }])
    const runs = [await startFlow(flow.id), await startFlow(flow.id)]
    for (const run of runs) for (const path of ['a', 'b']) await endUnseen(run, path, 1)
    await advance()
    expect(await Promise.all(runs.map(async (run) => (await picture(run))[0]))).toEqual(['failed', 'failed'])
    const matters = (await listMatters(ADMIN)).filter(({ runId }) => runs.includes(runId ?? 0))
    expect(matters).toMatchObject([{ runId: runs[1], times: 2, stepPath: 'a' }])
  })

  it('opens one matter as soon as a step fails, with its first telling line, and closes it when run again', async () => {
    const { id } = await makeFlow([{ id: 'a' }, { id: 'b', ...after('a') }, { id: 'slow' }])
    const run = await startFlow(id)
    await carryOut(run, 'a', 1, 'till file missing')
    const matters = (await listMatters(ADMIN)).filter((matter) => matter.runId === run)
    expect(matters).toMatchObject([{ kind: 'run-failed', evidence: 'till file missing', times: 1 }])
    // Its steps run one and the same job: which of them it was is told by its name.
    expect(matters[0]?.stepTitle).toMatch(/ · a$/)
    await carryOut(run, 'slow')
    expect((await listMatters(ADMIN)).filter((matter) => matter.runId === run)).toHaveLength(1)
    await runStepsAgain(OPERATOR, run, { steps: ['a'], inputs: {} })
    await carryOut(run, 'a')
    await carryOut(run, 'b')
    expect((await picture(run))[0]).toBe('succeeded')
    expect((await listMatters(ADMIN)).filter((matter) => matter.runId === run)).toEqual([])
  })

  it('skips what its calendar or switch does not want, on the day fixed at its start', async () => {
    await makeCalendar('month-end-test', { dates: ['2027-03-31'] })
    const { id } = await makeFlow([
      { id: 'gated', gate: { days: { calendar: 'month-end-test' } } },
      { id: 'on', gate: { days: { not: { calendar: 'month-end-test' } } } },
    ])
    expect(await picture(await startFlow(id))).toEqual(['running', 'gated skipped gate', 'on ready'])
    const off = await namedJob()
    await execute(null, 'UPDATE jobs SET active = false WHERE id = $1', [off.id])
    const other = await makeFlow([
      { id: 'x', job: off.slug },
      { id: 'y', ...after('x') },
    ])
    expect(await picture(await startFlow(other.id))).toEqual(['running', 'x skipped off', 'y ready'])
  })

  it('hands its inputs on, also into flows inside it, and keeps secrets sealed', async () => {
    const input = (name: string, type = 'text'): object => ({ name, type, default: null })
    const job = await namedJob({ inputs: [input('harbour'), input('word', 'secret')] as never })
    const inner = await makeFlow(
      [
        {
          id: 'send',
          job: job.slug,
          with: { harbour: 'to ${place}', word: '${pass}' },
          gate: { input: 'place', not: 'kelda' },
        },
      ],
      { inputs: [input('place'), input('pass', 'secret')] },
    )
    const outer = await makeFlow(
      [
        { id: 'in', flow: inner.slug, with: { place: '${harbour}', pass: '${pass}' } },
        { id: 'end', ...after('in') },
      ],
      { inputs: [{ name: 'harbour', type: 'text', default: 'orrin' }, input('pass', 'secret')] },
    )
    const run = await startFlow(outer.id, { inputs: { pass: 'brine-77' } })
    expect(await picture(run)).toEqual(['running', 'in running', 'in/send ready', 'end waiting'])
    const step = await one<{ inputs: object; secrets: Buffer | null }>(
      null,
      'SELECT inputs, secrets FROM runs WHERE flow_run_id = $1',
      [run],
    )
    expect(step.inputs).toEqual({ harbour: 'to orrin' })
    expect(step.secrets?.toString('latin1')).not.toContain('brine-77')
    const all = await many<{ t: string }>(null, 'SELECT row_to_json(r)::text AS t FROM runs r')
    expect(all.some(({ t }) => t.includes('brine-77'))).toBe(false)
    await carryOut(run, 'in/send')
    await carryOut(run, 'end')
    expect(await picture(run)).toEqual(['succeeded', 'in succeeded', 'in/send succeeded', 'end succeeded'])
    const gated = await startFlow(outer.id, { inputs: { harbour: 'kelda', pass: 'x' } })
    expect(await picture(gated)).toEqual(['running', 'in succeeded', 'in/send skipped gate', 'end ready'])
  })

  it('keeps a secret sealed also when the job that takes it calls it text by now', async () => {
    const input = (name: string, type: string): object => ({
      name,
      title: '',
      type,
      options: [],
      default: null,
      ask: true,
    })
    const job = await namedJob({ inputs: [input('word', 'secret')] as never })
    const inner = await makeFlow([{ id: 'send', job: job.slug, with: { word: '${pass}' } }], {
      inputs: [input('pass', 'secret')],
    })
    const outer = await makeFlow([{ id: 'in', flow: inner.slug, with: { pass: '${key}' } }], {
      inputs: [input('key', 'secret')],
    })
    for (const [id, name] of [
      [job.id, 'word'],
      [inner.id, 'pass'],
    ])
      await execute(
        null,
        `UPDATE job_versions SET definition = jsonb_set(definition, '{inputs}', $2) WHERE job_id = $1`,
        [id, JSON.stringify([input(String(name), 'text')])],
      )
    const run = await startFlow(outer.id, { inputs: { key: 'samphire-12' } })
    const step = await one<{ inputs: object; secrets: Buffer | null }>(
      null,
      'SELECT inputs, secrets FROM runs WHERE flow_run_id = $1',
      [run],
    )
    expect(step.inputs).toEqual({})
    expect(step.secrets).not.toBeNull()
    const all = await many<{ t: string }>(null, 'SELECT row_to_json(r)::text AS t FROM runs r')
    expect(all.some(({ t }) => t.includes('samphire-12'))).toBe(false)
  })

  it('fails a step whose values do not fit its job any more, and says which', async () => {
    const job = await namedJob()
    const { id } = await makeFlow([
      { id: 'a', job: job.slug },
      { id: 'b', after: [{ step: 'a', when: 'failed' }] },
    ])
    await execute(
      null,
      `UPDATE job_versions SET definition = jsonb_set(definition, '{inputs}', $2) WHERE job_id = $1`,
      [job.id, JSON.stringify([{ name: 'day', title: 'Day', type: 'day', options: [], default: null, ask: true }])],
    )
    const run = await startFlow(id)
    expect(await picture(run)).toEqual(['running', 'a failed', 'b ready'])
    expect((await stepsOf(run)).get('a')?.runReason).toBe('Day needs a value.')
  })

  it('tries a step again by its own retries, and counts a lost one as failed when they are used up', async () => {
    const { id } = await makeFlow([{ id: 'a', retry: { times: 1, delay: 'PT0S' }, onFailure: 'endFlow' }, { id: 'b' }])
    const run = await startFlow(id)
    const first = await hand((await readySteps(run)).a as number)
    await giveUpLost([first.attempt], 'gone')
    await advance()
    expect(await picture(run)).toEqual(['running', 'a ready', 'b ready'].map((t) => t.replace('a ready', 'a running')))
    const second = await hand((await readySteps(run)).a as number)
    await giveUpLost([second.attempt], 'gone')
    await advance()
    expect(await picture(run)).toEqual(['failed', 'a failed', 'b cancelled'])
    expect(await readySteps(run)).toEqual({})
  })

  it('is stopped as a whole: what has not started is cancelled, what runs is asked to stop', async () => {
    const { id } = await makeFlow([{ id: 'a' }, { id: 'b' }, { id: 'c', ...after('a') }])
    const run = await startFlow(id)
    const held = await hand((await readySteps(run)).a as number)
    await stopRun(OPERATOR, run)
    await advance()
    expect(await picture(run)).toEqual(['running', 'a running', 'b cancelled', 'c cancelled'])
    const [{ id: agent }] = (await many<{ id: number }>(null, `SELECT id FROM agents WHERE name = 'flows'`)) as [
      { id: number },
    ]
    expect((await stopsToDeliver([agent])).map((stop) => stop.attempt)).toContain(held.attempt)
    await giveUpLost([held.attempt], 'gone')
    await advance()
    expect(await picture(run)).toEqual(['cancelled', 'a cancelled', 'b cancelled', 'c cancelled'])
  })

  it('stands apart in the list of runs: its steps are listed only when asked for', async () => {
    const { id, job } = await makeFlow([{ id: 'a' }])
    const run = await startFlow(id)
    const list = async (more: object): Promise<number[]> =>
      (await listRuns(VIEWER, runFilterSchema.parse({ ...more }))).rows.map((row) => row.id)
    const step = (await readySteps(run)).a as number
    expect(await list({ job: String(id) })).toEqual([run])
    expect(await list({ job: String(job.id) })).toEqual([])
    expect(await list({ job: String(job.id), steps: 'yes' })).toEqual([step])
    expect(await list({ text: `#${step}` })).toEqual([step])
  })

  it('waits for its time like any run, and an empty one succeeds at once', async () => {
    const { id } = await makeFlow([])
    const later = await startFlow(id, { at: new Date(Date.now() + 60_000).toISOString() })
    expect(await picture(later)).toEqual(['waiting'])
    await execute(null, 'UPDATE runs SET start_after = now() WHERE id = $1', [later])
    await releaseDue()
    await advance()
    expect(await picture(later)).toEqual(['succeeded'])
  })
})

describe('people and a flow run', () => {
  it('hold a step before or after it is ready, and release it', async () => {
    const { id } = await makeFlow([{ id: 'a' }, { id: 'b', ...after('a') }])
    const run = await startFlow(id)
    await holdStep(OPERATOR, run, { step: 'a' })
    await holdStep(OPERATOR, run, { step: 'b' })
    expect((await stepsOf(run)).get('a')?.heldBy).toBe('the operator')
    await expect(holdStep(VIEWER, run, { step: 'a' })).rejects.toMatchObject({ code: 'not-allowed' })
    await releaseStep(OPERATOR, run, { step: 'a' })
    await carryOut(run, 'a')
    const held = await one<{ heldBy: string }>(null, `SELECT held_by AS "heldBy" FROM runs WHERE id = $1`, [
      (await readySteps(run)).b,
    ])
    expect(held.heldBy).toBe('the operator')
    await releaseStep(OPERATOR, run, { step: 'b' })
    await carryOut(run, 'b')
    await expect(holdStep(OPERATOR, run, { step: 'b' })).rejects.toMatchObject({ code: 'not-now' })
    expect((await picture(run))[0]).toBe('succeeded')
  })

  it('mark a step as done or failed, with a reason that is kept', async () => {
    const { id } = await makeFlow([{ id: 'a' }, { id: 'b', ...after('a') }, { id: 'c', ...after('b') }])
    const run = await startFlow(id)
    await markStep(OPERATOR, run, { step: 'a', as: 'succeeded', why: 'done by hand' })
    await advance()
    await carryOut(run, 'b', 1)
    expect(await picture(run)).toEqual(['failed', 'a succeeded', 'b failed', 'c skipped passed-over'])
    await markStep(OPERATOR, run, { step: 'b', as: 'succeeded', why: 'sent by courier' })
    expect(await picture(run)).toEqual(['running', 'a succeeded', 'b succeeded', 'c ready'])
    expect((await stepsOf(run)).get('b')?.marked).toEqual({ by: 'the operator', why: 'sent by courier' })
    await carryOut(run, 'c')
    expect((await picture(run))[0]).toBe('succeeded')
    const audit = await many(null, `SELECT 1 AS x FROM audit WHERE action = 'marked' AND object_id = $1`, [String(run)])
    expect(audit).toHaveLength(2)
    await expect(markStep(OPERATOR, run, { step: 'c', as: 'failed', why: 'x' })).rejects.toMatchObject({
      code: 'not-now',
    })
  })

  it('run again from a step: what follows is decided again, the rest keeps its result; what is in the way is named', async () => {
    const { id } = await makeFlow([{ id: 'a' }, { id: 'b', ...after('a') }, { id: 'c', ...after('b') }, { id: 'd' }])
    const run = await startFlow(id)
    await carryOut(run, 'a')
    await carryOut(run, 'b', 1)
    await expect(runStepsAgain(OPERATOR, run, { steps: ['d'], inputs: {} })).rejects.toMatchObject({ code: 'not-now' })
    expect(await previewAgain(VIEWER, run, { steps: ['b'] })).toEqual({ again: ['b', 'c'], kept: ['a'], inTheWay: [] })
    await carryOut(run, 'd')
    const first = await stepsOf(run)
    await runStepsAgain(OPERATOR, run, { steps: ['b'], inputs: {} })
    expect(await picture(run)).toEqual(['running', 'a succeeded', 'b ready', 'c waiting', 'd succeeded'])
    await carryOut(run, 'b')
    await carryOut(run, 'c')
    expect(await picture(run)).toEqual(['succeeded', 'a succeeded', 'b succeeded', 'c succeeded', 'd succeeded'])
    const now = await stepsOf(run)
    expect(now.get('a')?.runId).toBe(first.get('a')?.runId)
    expect(now.get('d')?.runId).toBe(first.get('d')?.runId)
    expect(now.get('b')?.runId).not.toBe(first.get('b')?.runId)
    await expect(runStepsAgain(OPERATOR, run, { steps: ['nothing'], inputs: {} })).rejects.toMatchObject({
      code: 'not-found',
    })
  })
})

describe('flows in a bundle', () => {
  const file = {
    format: 'bugle-bundle/1',
    jobs: ['bookings', 'check'].map((name) => ({
      id: `${name}-job`,
      kind: 'command',
      command: 'true',
      agent: 'flows',
      inputs: [{ name: 'harbour', type: 'text', default: 'orrin' }],
    })),
    flows: [
      {
        id: 'outer-one',
        area: 'Ferries',
        steps: [{ id: 'in', flow: 'inner-one', with: { harbour: '${place}' } }],
        inputs: [{ name: 'place', type: 'choice', options: ['orrin', 'stavin'], default: 'stavin' }],
      },
      {
        id: 'inner-one',
        title: 'Inner',
        inputs: [{ name: 'harbour', type: 'text' }],
        steps: [
          { id: 'bookings', job: 'bookings-job', with: { harbour: '${harbour}' }, expect: 'PT9M' },
          {
            id: 'check',
            job: 'check-job',
            after: [{ step: 'bookings', when: 'ended' }],
            join: 'any',
            gate: { input: 'harbour', in: ['stavin'] },
            onFailure: 'carryOn',
          },
        ],
        groups: [{ id: 'all', steps: ['bookings'], onFailure: 'endFlow' }],
        priority: 'high',
      },
    ],
    triggers: [
      {
        id: 'nightly-outer',
        start: { flow: 'outer-one' },
        time: { at: ['02:00'] },
        zone: 'UTC',
        with: { place: 'orrin' },
      },
    ],
  }

  it('come in with the flows inside them, start by a trigger, and go out as they came', async () => {
    const { lines } = await importBundle(ADMIN, file, false)
    expect(lines.filter(({ kind }) => kind !== 'job')).toEqual([
      { kind: 'flow', id: 'inner-one', what: 'added' },
      { kind: 'flow', id: 'outer-one', what: 'added' },
      { kind: 'trigger', id: 'nightly-outer', what: 'added' },
    ])
    const out = await exportBundle(ADMIN)
    expect((await importBundle(ADMIN, out, false)).lines.every(({ what }) => what === 'same')).toBe(true)
    expect(out.flows?.find(({ id }) => id === 'inner-one')).toMatchObject({ ...file.flows[1], area: 'Imported' })
    expect(out.triggers?.[0]).toMatchObject(file.triggers[0] as object)
    const trigger = await one<{ id: number; next: Date }>(
      null,
      `SELECT id, next_at AS next FROM triggers WHERE slug = 'nightly-outer'`,
    )
    expect(await fire(trigger.next.getTime(), trigger.id)).toBe(1)
    await advance()
    const run = await one<{ id: number; day: string; inputs: object }>(
      null,
      'SELECT id, flow_day::text AS day, inputs FROM runs WHERE trigger_id = $1',
      [trigger.id],
    )
    expect(run.inputs).toEqual({ place: 'orrin' })
    expect(run.day).toBe(trigger.next.toISOString().slice(0, 10))
    await carryOut(run.id, 'in/bookings')
    expect(await picture(run.id)).toEqual([
      'succeeded',
      'in succeeded',
      'in/bookings succeeded',
      'in/check skipped gate',
    ])
  })

  it('are refused with the place in the file, and nothing is kept', async () => {
    const bad = {
      ...file,
      flows: [{ id: 'broken', steps: [{ id: 'a', job: 'check-job', with: { port: 1 } }] }],
      triggers: [],
    }
    await expect(importBundle(ADMIN, bad, false)).rejects.toMatchObject({
      code: 'invalid-input',
      errors: [{ path: 'flows[0].steps[0].with.port' }],
    })
    expect(await many(null, `SELECT 1 AS x FROM jobs WHERE slug = 'broken'`)).toEqual([])
  })
})

describe('a flow', () => {
  it('is refused with every fault at its place', async () => {
    const { slug, id } = await makeFlow([{ id: 'a' }])
    const { areaId, title, definition } = await oneFlow(ADMIN, id)
    const faults = async (steps: unknown[]): Promise<string[]> => {
      const request = {
        areaId,
        title,
        notes: '',
        active: true,
        version: 1,
        definition: { ...definition, steps: steps as never },
      }
      const error = (await saveFlow(ADMIN, id, request).catch((e: unknown) => e)) as { errors: { path: string }[] }
      return error.errors.map((each) => each.path)
    }
    const step = { join: 'all', job: definition.steps[0]?.job }
    expect(await faults([{ id: 'a', join: 'all', job: 'nowhere' }])).toEqual(['definition.steps[0].job'])
    expect(await faults([{ ...step, id: 'a', after: [{ step: 'b', when: 'succeeded' }] }])).toEqual([
      'definition.steps[0].after[0].step',
    ])
    expect(await faults([{ ...step, id: 'a', with: { x: 1 } }])).toEqual(['definition.steps[0].with.x'])
    expect(await faults([{ id: 'a', join: 'all', flow: slug }])).toEqual(['definition'])
    expect(await faults([{ ...step, id: 'a', gate: { days: { calendar: 'none' } } }])).toEqual([
      'definition.steps[0].gate.days.calendar',
    ])
  })

  it('tells the second of two who saved, and is not removed while something uses it', async () => {
    const inner = await makeFlow([{ id: 'a' }])
    const outer = await makeFlow([{ id: 'in', flow: inner.slug }])
    const {
      id: _,
      slug: __,
      area: ___,
      usualMs: ____,
      savedBy: _____,
      savedAt: ______,
      ...content
    } = await oneFlow(ADMIN, inner.id)
    await saveFlow(ADMIN, inner.id, { ...content, notes: 'one' })
    await expect(saveFlow(ADMIN, inner.id, { ...content, notes: 'two' })).rejects.toMatchObject({ code: 'conflict' })
    await expect(removeFlow(ADMIN, inner.id)).rejects.toMatchObject({ code: 'not-now' })
    await expect(removeJob(ADMIN, inner.job.id)).rejects.toMatchObject({ code: 'not-now' })
    await expect(addFlow(OPERATOR, content)).rejects.toMatchObject({ code: 'not-allowed' })
    await removeFlow(ADMIN, outer.id)
    await removeFlow(ADMIN, inner.id)
    await removeJob(ADMIN, inner.job.id)
  })
})
