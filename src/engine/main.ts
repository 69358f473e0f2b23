import { randomUUID } from 'node:crypto'
import { readFileSync } from 'node:fs'
import { hostname } from 'node:os'
import { config, goDirect, SettingsError } from '@/store/config'
import { closeDb } from '@/store/db'
import { ENGINE_CONNECTIONS } from '@/store/lead-lock'
import { requireDirect, requireSettings, whenReady } from '@/store/ready'
import { log } from './log'
import { Reception } from './reception'
import { Workplaces } from './workplaces'

async function main(): Promise<void> {
  requireSettings('engine')
  const id = randomUUID()
  // The name of all its connections, also of its threads: should it hang, the next leader ends them by it.
  process.env.PGAPPNAME = `${ENGINE_CONNECTIONS}${id}`
  const settings = config()
  goDirect()
  await whenReady((message) => log.warn(message))
  await requireDirect()
  const { tls } = settings
  const workplaces = new Workplaces({
    id,
    host: hostname(),
    pid: process.pid,
    version: '0.1.0',
    gatewayUrl: settings.gatewayUrls[0] ?? `${tls ? 'wss' : 'ws'}://localhost:${settings.gatewayPort}/agent`,
    startedAt: new Date(),
  })
  // Should the database go away just now, the next look opens them.
  await workplaces.look().catch((error: unknown) => log.warn({ err: error }, 'organisations not read'))
  const reception = new Reception((organisation) => workplaces.gatewayOf(organisation), {
    proxies: settings.proxies,
    tls: tls && { cert: readFileSync(tls.certFile), key: readFileSync(tls.keyFile) },
  })
  await reception.listen(settings.gatewayPort, settings.gatewayHost)
  const tidying = setInterval(() => reception.tidy(), 5000)
  log.info({ id, port: settings.gatewayPort }, 'engine started')

  let stopping = false
  const stop = async (): Promise<void> => {
    if (stopping) return
    stopping = true
    clearInterval(tidying)
    await workplaces.stop()
    await reception.stop()
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
