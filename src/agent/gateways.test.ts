import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Gateways } from './gateways'

const [ENROLLED, A, B] = ['ws://old.example/agent', 'wss://a.example/agent', 'wss://b.example/agent']
let file: string
beforeEach(() => (file = join(mkdtempSync(join(tmpdir(), 'bugle-gateways-')), 'gateways.json')))

const round = (gateways: Gateways): string[] =>
  gateways.all.map(() => {
    const { current } = gateways
    gateways.next()
    return current
  })

describe('gateways of an agent', () => {
  it('are where it was enrolled, until the server says more', () => {
    const gateways = new Gateways(ENROLLED, { file })
    expect([gateways.current, gateways.next(), gateways.current]).toEqual([ENROLLED, true, ENROLLED])
  })

  it('told by the server are tried first, kept, and end with where it was enrolled', () => {
    const gateways = new Gateways(ENROLLED, { file })
    gateways.told([A, B, A])
    expect([A, B]).toContain(gateways.current)
    expect(new Set(round(gateways))).toEqual(new Set([A, B, ENROLLED]))
    const again = new Gateways(ENROLLED, { file })
    expect(again.all).toEqual([A, B, ENROLLED])
    expect([A, B]).toContain(again.current)
  })

  it('are all tried before a round is over, also after one of them was reached', () => {
    const gateways = new Gateways(ENROLLED)
    gateways.told([A, B])
    expect([gateways.next(), gateways.next(), gateways.next()]).toEqual([false, false, true])
    gateways.next()
    gateways.reached()
    expect([gateways.next(), gateways.next(), gateways.next()]).toEqual([false, false, true])
  })

  it('stay where they are while that is on the list', () => {
    const gateways = new Gateways(ENROLLED)
    gateways.told([A, B])
    const { current } = gateways
    gateways.told([B, 'wss://c.example/agent', A])
    expect(gateways.current).toBe(current)
  })

  it('that cannot be used are passed over, with the reason; none at all changes nothing', () => {
    const said: string[] = []
    const require = (address: string): void => {
      if (address.startsWith('ws:')) throw new Error('It is not encrypted.')
    }
    const gateways = new Gateways(ENROLLED, { file, require, log: (text) => said.push(text) })
    gateways.told(['https://a.example', 'nonsense', 'ws://plain.example/agent'])
    expect(gateways.all).toEqual([ENROLLED])
    expect(said).toEqual(['A gateway that the server names is passed over. It is not encrypted.'])
    gateways.told([A])
    gateways.told([])
    expect(gateways.all).toEqual([A, ENROLLED])
    expect(JSON.parse(readFileSync(file, 'utf8'))).toEqual([A])
  })

  it('given by hand are meant: nothing that is told or kept takes their place', () => {
    writeFileSync(file, JSON.stringify([A]))
    const gateways = new Gateways(B, { file, isFixed: true })
    gateways.told([A])
    expect(gateways.all).toEqual([B])
  })

  it.each(['{', '"wss://a.example"', '[7, null, {"a": 1}]', ''])('read a broken file as none: %s', (text) => {
    writeFileSync(file, text)
    expect(new Gateways(ENROLLED, { file }).all).toEqual([ENROLLED])
  })
})
