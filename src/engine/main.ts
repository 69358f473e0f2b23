import { randomUUID } from 'node:crypto'
import { hostname } from 'node:os'
import { config } from '@/store/config'
import { closeDb } from '@/store/db'
import { listen } from '@/store/listen'
import { advanceFlows } from '@/service/flow-advance'
import { engineAlive, engineGone } from '@/service/engines'
import { Gateway } from './gateway'
import { Leader } from './leader'
import { log } from './log'
import { paced } from './pace'
import { Sink } from './sink'

async function main(): Promise<void> {
  const settings = config()
  const id = randomUUID()
  const sink = new Sink()
  const gateway = new Gateway(id, sink, settings.heartbeatSeconds, settings.proxies)
  await gateway.listen(settings.gatewayPort, settings.gatewayHost)
  const me = {
    id,
    host: hostname(),
    pid: process.pid,
    version: '0.1.0',
    gatewayUrl: settings.gatewayUrl ?? `ws://localhost:${settings.gatewayPort}/agent`,
    startedAt: new Date(),
  }
  const onError = (what: string) => (error: unknown) => log.warn({ err: error }, what)
  const leader = new Leader(id)
  const delivering = paced(() => gateway.deliver(), {
    restMs: 10,
    everyMs: 1000,
    onError: onError('delivery failed; tried again'),
  })
  const alive = paced(() => engineAlive(me), {
    restMs: 1000,
    everyMs: 3000,
    onError: onError('could not say that this engine lives'),
  })
  const contacts = paced(() => gateway.keepAlive(), {
    restMs: 300,
    everyMs: Math.min(3000, settings.heartbeatSeconds * 500),
    onError: onError('contacts not stored; tried again'),
  })
  const applying = paced(() => gateway.applySettings(), {
    restMs: 500,
    everyMs: 60_000,
    onError: onError('settings not passed on; tried again'),
  })
  const flows = paced(
    async () => {
      const { more } = await advanceFlows(Date.now())
      if (more) flows.wake()
    },
    { restMs: 10, everyMs: 1000, onError: onError('moving flows on failed; tried again') },
  )
  const deaf = listen((change) => {
    if (change.place) {
      leader.wake()
      flows.wake()
    }
    if (change.deliver) flows.wake()
    if (change.timing) leader.wakeFiring()
    if (change.jobs) leader.lookAgain()
    if (change.deliver) delivering.wake()
    if (change.fleet) applying.wake()
  })
  log.info({ id, port: settings.gatewayPort }, 'engine started')

  let stopping = false
  const stop = async (): Promise<void> => {
    if (stopping) return
    stopping = true
    await leader.stop()
    await gateway.stop()
    await Promise.all([
      flows.stop(),
      delivering.stop(),
      alive.stop(),
      contacts.stop(),
      applying.stop(),
      sink.stop(),
      deaf(),
    ])
    await engineGone(id).catch(() => undefined)
    await closeDb()
    log.info('engine stopped')
    process.exit(0)
  }
  process.on('SIGTERM', () => void stop())
  process.on('SIGINT', () => void stop())
}

main().catch((error: unknown) => {
  log.fatal({ err: error }, 'the engine could not start')
  process.exit(1)
})
