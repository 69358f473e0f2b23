import { freshDatabase, OPERATOR } from '@/store/database.test-help'
import { lease, makeAgent, makeJob, report, started, stateOf } from '@/service/fixtures.test-help'
import { startRun, startSchema } from '@/service/runs/start'
import { Sink, type Sender } from './sink'

freshDatabase()

/** An agent's connection that notes what it is asked for again. */
function senderOf(agentId: number): { sender: Sender; asked: number[] } {
  const asked: number[] = []
  const nothing = (): void => undefined
  const sender: Sender = {
    agentId,
    connection: 1,
    hold: nothing,
    acked: nothing,
    stale: nothing,
    superseded: nothing,
    unstorable: nothing,
    resend: (_, from) => asked.push(from),
  }
  return { sender, asked }
}

async function held(): Promise<{ agentId: number; of: { attempt: number; token: number }; run: number }> {
  const agentId = await makeAgent(`a${Math.random()}`)
  const { id: run } = await startRun(OPERATOR, startSchema.parse({ jobId: await makeJob() }))
  const of = await lease(run, agentId)
  await report(agentId, of, 1, started)
  return { agentId, of, run }
}

describe('reports that are missing', () => {
  it('are not asked for again while they are being passed over, by whatever comes meanwhile', async () => {
    const { agentId, of, run } = await held()
    const { sender, asked } = senderOf(agentId)
    const sink = new Sink()
    sink.ask(sender, of, 2, 5)
    // The agent has them no more; reports behind the gap are still being stored.
    const passing = sink.passOver(sender, { ...of, from: 2, to: 3 })
    sink.ask(sender, of, 2, 5)
    void sink.passOver(sender, { ...of, from: 2, to: 3 })
    expect(asked).toEqual([2])
    await passing
    expect(asked).toEqual([2, 4])
    expect((await stateOf(run)).state).toBe('running')
    await sink.stop()
  })

  it('are asked for again where they cannot be passed over', async () => {
    const { agentId, of } = await held()
    const { sender, asked } = senderOf(agentId)
    const sink = new Sink()
    sink.ask(sender, of, 7, 9)
    await sink.passOver(sender, { ...of, from: 7, to: 8 })
    sink.ask(sender, of, 7, 9)
    expect(asked).toEqual([7, 7])
    await sink.stop()
  })
})
