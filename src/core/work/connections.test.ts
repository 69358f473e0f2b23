import fc from 'fast-check'
import { ACCOUNT_USE, atPointer, CONNECTION_KINDS, connectionSchema, connectionWords, fill } from './connections'
import { jobDefinitionSchema } from './job'

const job = (action: object, more: object = {}): { path: string; message: string }[] => {
  const parsed = jobDefinitionSchema.safeParse({ action, target: { pool: 'quay' }, ...more })
  return parsed.success ? [] : parsed.error.issues.map(({ path, message }) => ({ path: path.join('.'), message }))
}
const SQL = { kind: 'sql', host: 'db', database: 'fares', statement: 'SELECT 1' }

describe('actions that talk to others', () => {
  it.each([
    [{ kind: 'reach', by: 'tcp', host: 'gw.orrin' }, {}, 'action.port'],
    [{ kind: 'reach', by: 'http', host: 'gw.orrin' }, {}, 'action.host'],
    [{ kind: 'reach', by: 'ping', host: 'http://gw' }, {}, 'action.host'],
    [{ kind: 'reach', by: 'tcp', host: 'gw', port: 22 }, { account: 'a' }, 'account'],
    [{ kind: 'http', url: 'ftp://x' }, {}, 'action.url'],
    [{ kind: 'http', url: 'http://x/', expect: ['2x'] }, {}, 'action.expect.0'],
    [{ kind: 'http', url: 'http://x/', pick: { a: 'no-pointer' } }, {}, 'action.pick.a'],
    [{ kind: 'http', url: 'http://x/${gone}' }, {}, 'action.url'],
    [{ kind: 'http', url: 'http://x/', headers: { 'X-A': '${gone}' } }, {}, 'action.headers.X-A'],
    [SQL, {}, 'account'],
    [{ ...SQL, statement: "SELECT '${name}'" }, { account: 'a' }, 'action.statement'],
    [{ ...SQL, leastRows: 3, mostRows: 2 }, { account: 'a' }, 'action.mostRows'],
    [{ kind: 'mail', host: 'h', from: 'a@b', to: [], subject: 'x' }, {}, 'action.to'],
    [{ kind: 'mail', host: 'h', from: 'nobody', to: ['a@b'], subject: 'x' }, {}, 'action.from'],
    [{ kind: 'ssh', host: 'h', command: 'true', hostKey: 'aa:bb' }, { account: 'a' }, 'action.hostKey'],
    [
      { kind: 'transfer', direction: 'up', host: 'h', port: 70_000, from: '/a', into: '/b' },
      { account: 'a' },
      'action.port',
    ],
    [{ kind: 'wait', minutes: 1 }, { account: 'a' }, 'account'],
  ])('%j is refused at %s', (action, more, path) => {
    expect(job(action, more).map((fault) => fault.path)).toContain(path)
  })

  it('take references to inputs that are there; a command over SSH has a shell of its own', () => {
    const inputs = [{ name: 'boat', type: 'text' }]
    expect(job({ kind: 'http', url: 'http://x/${boat}', body: '${boat}' }, { inputs })).toEqual([])
    expect(job({ ...SQL, parameters: ['${boat}'] }, { inputs, account: 'fares' })).toEqual([])
    expect(job({ kind: 'ssh', host: 'h', command: 'echo ${HOME}' }, { account: 'a' })).toEqual([])
  })

  it('say in few words what they do, and each says whether it signs in', () => {
    expect(connectionWords(connectionSchema.parse({ kind: 'reach', by: 'tcp', host: 'gw', port: 22 }))).toBe(
      'gw:22 by TCP',
    )
    expect(connectionWords(connectionSchema.parse({ kind: 'http', url: 'http://x/' }))).toBe('GET http://x/')
    expect(Object.keys(ACCOUNT_USE).sort()).toEqual([...CONNECTION_KINDS].sort())
  })
})

describe('references', () => {
  it('are put in once: what a value holds is not read again', () => {
    const values = { a: '${b}', b: 'B' }
    expect(fill('${a} ${b} ${c}', values)).toBe('${b} B ${c}')
    expect(fill('x?${a}', values, encodeURIComponent)).toBe('x?%24%7Bb%7D')
  })
})

describe('a JSON pointer', () => {
  it.each([
    ['', { a: 1 }],
    ['/a', 1],
    ['/list/1', 'y'],
    ['/list/01', undefined],
    ['/list/-', undefined],
    ['/a~1b', 2],
    ['/m~0n', 3],
    ['/', 4],
    ['/toString', undefined],
    ['/a/b', undefined],
  ])('%s', (pointer, expected) => {
    const document = { a: 1, list: ['x', 'y'], 'a/b': 2, 'm~n': 3, '': 4 }
    expect(atPointer(document, pointer)).toEqual(pointer === '' ? document : expected)
  })

  it('finds whatever lies at the path that it spells (RFC 6901, section 4)', () => {
    fc.assert(
      fc.property(fc.array(fc.string(), { minLength: 1, maxLength: 5 }), fc.jsonValue(), (path, value) => {
        const document = path.reduceRight<unknown>((inner, key) => Object.fromEntries([[key, inner]]), value)
        const pointer = path.map((key) => `/${key.replaceAll('~', '~0').replaceAll('/', '~1')}`).join('')
        expect(atPointer(document, pointer)).toEqual(value)
      }),
    )
  })
})
