import { spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'
import { createServer } from 'node:net'
import { Client } from 'pg'

const PASSWORD = 'a-quiet-night-on-the-skerries'
export const FIRST_PERSON = { email: 'ines.aldaya@marram.example', name: 'Ines Aldaya', password: PASSWORD }

async function freePort(): Promise<number> {
  const server = createServer().listen(0, '127.0.0.1')
  await once(server, 'listening')
  const address = server.address()
  server.close()
  return typeof address === 'object' && address ? address.port : 0
}

/** A Bugle of its own with nothing in it but the first administrator: a database beside the others, an engine, pages. */
export async function startEmpty(name: string): Promise<{ readonly url: string; readonly stop: () => Promise<void> }> {
  const database = new URL(process.env.DATABASE_URL as string)
  const client = new Client({ connectionString: database.href })
  await client.connect()
  await client.query(`DROP DATABASE IF EXISTS ${name} WITH (FORCE)`)
  await client.query(`CREATE DATABASE ${name}`)
  await client.end()
  database.pathname = `/${name}`
  const [web, gateway] = [await freePort(), await freePort()]
  const env = {
    ...process.env,
    NODE_ENV: 'production' as const,
    DATABASE_URL: database.href,
    BUGLE_ZONE: 'Europe/London',
    BUGLE_COUNTRY: 'GB-SCT',
    BUGLE_WEB_PORT: String(web),
    BUGLE_GATEWAY_PORT: String(gateway),
    BUGLE_GATEWAY_HOST: '127.0.0.1',
    BUGLE_LOG: 'warn',
  }
  const bugle = (args: readonly string[], input = ''): void => {
    const done = spawnSync(process.execPath, ['dist/bugle.cjs', ...args], { env, input, encoding: 'utf8' })
    if (done.status !== 0) throw new Error(done.stderr)
  }
  bugle(['migrate'])
  bugle(['admin', 'create', '--email', FIRST_PERSON.email, '--name', FIRST_PERSON.name], `${PASSWORD}\n${PASSWORD}\n`)
  const children: ChildProcess[] = ['dist/engine.cjs', 'dist/web.cjs'].map((file) =>
    spawn(process.execPath, [file], { env, stdio: ['ignore', 'inherit', 'inherit'] }),
  )
  const url = `http://localhost:${web}`
  const isUp = (): Promise<boolean> =>
    fetch(`${url}/api/health`).then(
      (response) => response.ok,
      () => false,
    )
  for (let i = 0; !(await isUp()); i++) {
    if (i > 300) throw new Error('The pages did not come up.')
    await new Promise((resolve) => setTimeout(resolve, 200))
  }
  return {
    url,
    stop: async () => {
      for (const child of children) {
        const ended = once(child, 'exit')
        child.kill('SIGTERM')
        await ended
      }
    },
  }
}
