import { spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { join } from 'node:path'

/** Starts engine, pages and the simulated machines on the demo’s data; returns how to stop them. */
export default async function globalSetup(): Promise<() => Promise<void>> {
  const state = process.env.BUGLE_E2E_STATE as string
  const web = `http://localhost:${process.env.BUGLE_WEB_PORT}`
  const env = {
    ...process.env,
    NODE_ENV: 'production' as const,
    BUGLE_DEMO: '1',
    BUGLE_ZONE: 'Europe/London',
    BUGLE_COUNTRY: 'GB-SCT',
    BUGLE_GATEWAY_HOST: '127.0.0.1',
    BUGLE_HEARTBEAT_SECONDS: '1',
    BUGLE_AGENT_GATEWAY: `ws://localhost:${process.env.BUGLE_GATEWAY_PORT}/agent`,
    BUGLE_DEMO_SECRETS: join(state, 'standins.json'),
    BUGLE_LOG: 'warn',
  }
  const bugle = (...args: string[]): void => {
    const done = spawnSync(process.execPath, ['dist/bugle.cjs', ...args], { env, encoding: 'utf8' })
    if (done.status !== 0) throw new Error(done.stderr)
  }
  bugle('migrate')
  bugle('demo', env.BUGLE_DEMO_SECRETS)
  const children: ChildProcess[] = []
  const start = (...args: string[]): void => {
    children.push(spawn(process.execPath, args, { env, stdio: ['ignore', 'inherit', 'inherit'] }))
  }
  start('dist/engine.cjs')
  start('dist/web.cjs')
  for (let i = 0; ; i++) {
    const up = await fetch(`${web}/api/health`).then(
      (r) => r.ok,
      () => false,
    )
    if (up) break
    if (i > 300) throw new Error('The pages did not come up.')
    await new Promise((resolve) => setTimeout(resolve, 200))
  }
  start('dist/standins.cjs')
  return async () => {
    for (const child of children) {
      const ended = new Promise((resolve) => child.once('exit', resolve))
      child.kill('SIGTERM')
      await ended
    }
  }
}
