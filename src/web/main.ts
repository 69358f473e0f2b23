import { randomBytes } from 'node:crypto'
import { readFileSync } from 'node:fs'
import next from 'next'
import { config, SettingsError } from '@/store/config'
import { requireDirect, requireSettings, whenReady } from '@/store/ready'
import { createWebServer } from './server'

/** The web process: Next's pages and API behind our own door. */
async function main(): Promise<void> {
  requireSettings('web')
  const settings = config()
  const seal = randomBytes(24).toString('hex')
  // The pages and the API run in this process too, and read it there.
  process.env.BUGLE_WEB_SEAL = seal
  const app = next({
    dev: false,
    dir: process.env.BUGLE_WEB_DIR ?? process.cwd(),
    hostname: settings.webHost,
    port: settings.webPort,
  })
  await app.prepare()
  const handle = app.getRequestHandler()
  const tls = settings.tls && { cert: readFileSync(settings.tls.certFile), key: readFileSync(settings.tls.keyFile) }
  const server = createWebServer((request, response) => void handle(request, response), {
    proxies: settings.proxies,
    seal,
    tls,
  })
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject)
    server.listen(settings.webPort, settings.webHost, resolve)
  })
  console.log(JSON.stringify({ process: 'web', msg: 'web started', port: settings.webPort }))
  // Pages are there before the database is: they say what they wait for.
  const say = (message: string): void => console.error(JSON.stringify({ process: 'web', msg: message }))
  void whenReady(say).then(
    // Everything works without; changes are then seen at the next look, seconds later.
    () => requireDirect().catch((error: Error) => say(error.message)),
    leave,
  )
  let isStopping = false
  const stop = (): void => {
    if (isStopping) process.exit(1)
    isStopping = true
    server.close(() => process.exit(0))
    server.closeIdleConnections()
    // Streams of events never end by themselves.
    setTimeout(() => server.closeAllConnections(), 1000).unref()
    setTimeout(() => process.exit(0), 5000).unref()
  }
  process.on('SIGTERM', stop)
  process.on('SIGINT', stop)
}

function leave(error: unknown): never {
  console.error(error instanceof Error ? error.message : error)
  process.exit(error instanceof SettingsError ? error.exitCode : 1)
}

main().catch(leave)
