import { randomUUID } from 'node:crypto'
import { readFileSync } from 'node:fs'
import { hostname } from 'node:os'
import { config, goDirect, SettingsError } from '@/store/config'
import { closeDb } from '@/store/db'
import { ENGINE_CONNECTIONS } from '@/store/lead-lock'
import { listen } from '@/store/listen'
import { requireDirect, requireSettings, whenReady } from '@/store/ready'
import { advanceFlows } from '@/service/flows/flow-advance'
import { engineAlive, engineGone } from '@/service/fleet/engines'
import { Forecaster } from './forecaster'
import { Gateway } from './gateway'
import { Leader } from './leader'
import { log } from './log'
import { paced } from './pace'
import { Sink } from './sink'
import { Troubles } from './trouble'

async function main(): Promise<void> {
  requireSettings('engine')
  const id = randomUUID()
  // The name of all its connections, also of its threads: should it hang, the next leader ends them by it.
  process.env.PGAPPNAME = `${ENGINE_CONNECTIONS}${id}`
  const settings = config()
  goDirect()
  await whenReady((message) => log.warn(message))
  await requireDirect()
  const sink = new Sink()
  const { tls } = settings
  const gateway = new Gateway(id, sink, settings.heartbeatSeconds, {
    addresses: settings.gatewayUrls,
    proxies: settings.proxies,
    tls: tls && { cert: readFileSync(tls.certFile), key: readFileSync(tls.keyFile) },
  })
  await gateway.listen(settings.gatewayPort, settings.gatewayHost)
  const me = {
    id,
    host: hostname(),
    pid: process.pid,
    version: '0.1.0',
    gatewayUrl: settings.gatewayUrls[0] ?? `${tls ? 'wss' : 'ws'}://localhost:${settings.gatewayPort}/agent`,
    startedAt: new Date(),
  }
  const troubles = new Troubles()
  const leader = new Leader(id, troubles)
  const forecaster = new Forecaster(() => leader.leads && settings.makesForecasts, troubles)
  /** Work of every engine, over and over; what it throws is told, and it is tried again. */
  const loop = (
    what: string,
    pace: { readonly restMs: number; readonly everyMs: number },
    work: () => Promise<void>,
  ): ReturnType<typeof paced> =>
    paced(() => troubles.watch(what, work), { ...pace, onError: (error) => void troubles.failed(what, error) })
  const delivering = loop('deliver leases', { restMs: 10, everyMs: 1000 }, () => gateway.deliver())
  const alive = loop('say that it lives', { restMs: 1000, everyMs: 3000 }, () => engineAlive(me))
  const beat = { restMs: 300, everyMs: Math.min(3000, settings.heartbeatSeconds * 500) }
  const contacts = loop('note whom it heard of', beat, () => gateway.keepAlive())
  const applying = loop('pass settings on to agents', { restMs: 500, everyMs: 5000 }, () => gateway.applySettings())
  const flows = loop('move flows on', { restMs: 10, everyMs: 1000 }, async () => {
    const { more } = await advanceFlows(Date.now())
    if (more) flows.wake()
  })
  const stopListening = listen((change) => {
    if (change.place) {
      leader.wake()
      flows.wake()
    }
    if (change.deliver) flows.wake()
    if (change.timing) leader.wakeFiring()
    if (change.jobs) leader.lookAgain()
    if (change.deliver) delivering.wake()
    if (change.fleet) applying.wake()
    forecaster.heard(change)
  })
  log.info({ id, port: settings.gatewayPort }, 'engine started')

  let stopping = false
  const stop = async (): Promise<void> => {
    if (stopping) return
    stopping = true
    await forecaster.stop()
    await leader.stop()
    await gateway.stop()
    await Promise.all([
      flows.stop(),
      delivering.stop(),
      alive.stop(),
      contacts.stop(),
      applying.stop(),
      sink.stop(),
      stopListening(),
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
  // What a person has to put right is said in words, without a stack.
  if (error instanceof SettingsError) {
    process.stderr.write(`${error.message}\n`)
    process.exit(error.exitCode)
  }
  log.fatal({ err: error }, 'the engine could not start')
  process.exit(1)
})
