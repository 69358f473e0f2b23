import { spawn } from 'node:child_process'
import { connect } from 'node:net'
import { fill, type Connection } from '@/core/work/connections'
import { ActFault, portOf, reasonOf, within, type Context } from './context'
import { addressOf } from './http'
import { exchange } from './request'

/** Whether something answers there. The time it took is said, and handed on as `milliseconds`. */
export async function reach(action: Extract<Connection, { kind: 'reach' }>, context: Context): Promise<void> {
  const { values, say, hand, mayReach } = context
  const begun = performance.now()
  const took = (): string => {
    const ms = Math.max(1, Math.round(performance.now() - begun))
    hand('milliseconds', String(ms))
    return `${ms} ms`
  }
  if (action.by === 'http') {
    const url = addressOf(action.host, values)
    say(`→ GET ${url}`)
    const control = new AbortController()
    const asked = exchange(
      { method: 'GET', url, headers: { 'user-agent': 'Bugle' }, body: null },
      { mostBytes: 0, mayReach, signal: control.signal, follow: false },
      () => undefined,
    ).catch((error: unknown) => {
      throw error instanceof ActFault ? error : new ActFault(`${url} cannot be reached: ${reasonOf(error)}.`)
    })
    const response = await within(action.withinSeconds, asked, () => control.abort())
    if (response.status >= 500) throw new ActFault(`${url} answers with ${response.status}.`)
    say(`← ${response.status} in ${took()}: it can be reached.`)
    return
  }
  const host = fill(action.host, values)
  if (action.by === 'tcp') {
    const port = portOf(action.port ?? '', values)
    say(`→ TCP ${host}:${port}`)
    const socket = connect({ host, port })
    const done = new Promise<void>((resolve, reject) => {
      socket.once('connect', resolve)
      socket.once('error', (error) => reject(new ActFault(`${host}:${port} cannot be reached: ${reasonOf(error)}.`)))
    })
    try {
      await within(action.withinSeconds, done, () => socket.destroy())
    } finally {
      socket.destroy()
    }
    say(`← accepted in ${took()}: it can be reached.`)
    return
  }
  if (host.startsWith('-')) throw new ActFault(`${host} is not a host.`)
  say(`→ ICMP echo request to ${host}`)
  const ping = spawn('ping', ['-c', '1', '-W', String(Math.ceil(action.withinSeconds)), host], {
    stdio: 'ignore',
    env: process.env,
  })
  const code = new Promise<number | null>((resolve, reject) => {
    ping.once('error', () => reject(new ActFault('This machine has no ping: check a TCP port instead.')))
    ping.once('exit', resolve)
  })
  const ended = await within(action.withinSeconds + 1, code, () => ping.kill('SIGKILL'))
  if (ended === 2) throw new ActFault(`ICMP to ${host} is not possible from this machine, or the name is unknown.`)
  if (ended !== 0) throw new ActFault(`${host} does not answer.`)
  say(`← answered in ${took()}: it can be reached.`)
}
