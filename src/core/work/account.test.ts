import { hostOf, hostPatternSchema, mayGoTo, signInFault, type AccountRules } from './account'
import { connectionSchema, type Connection } from './connections'

const rules = (change: Partial<AccountRules> = {}): AccountRules => ({
  hosts: ['files.marram.example', '*.quay.example', '10.0.0.7'],
  plain: false,
  unknownHosts: false,
  ...change,
})
const action = (change: object): Connection => connectionSchema.parse(change)

describe('the hosts of an account', () => {
  it.each<[string, boolean]>([
    ['files.marram.example', true],
    ['FILES.Marram.Example.', true],
    ['orrin.quay.example', true],
    ['a.b.quay.example', true],
    ['10.0.0.7', true],
    ['quay.example', false],
    ['evilquay.example', false],
    ['files.marram.example.evil.example', false],
    ['10.0.0.70', false],
    ['', false],
  ])('%s: %s', (host, may) => expect(mayGoTo(rules(), host)).toBe(may))

  it('are none, or every one', () => {
    expect(mayGoTo({ hosts: [] }, 'files.marram.example')).toBe(false)
    expect(mayGoTo({ hosts: ['*'] }, 'anything.example')).toBe(true)
    expect(mayGoTo({ hosts: ['2001:db8::1'] }, '[2001:db8::1]')).toBe(true)
  })

  it.each(['', 'a b', 'http://x', '*x.example', '*.', 'a/b', '-x'])('are not written as “%s”', (text) =>
    expect(hostPatternSchema.safeParse(text).success).toBe(false),
  )
})

describe('an account signs in', () => {
  const http = (url: string): Connection => action({ kind: 'http', url })
  it('where its hosts say so, whatever an input makes of the address', () => {
    expect(signInFault('a', rules(), http('https://files.marram.example/x'))).toBeNull()
    expect(signInFault('a', rules(), http('https://evil.example/'))).toContain('may not sign in at evil.example')
    expect(signInFault('a', rules(), http('https://${host}/'))).toBeNull()
    expect(signInFault('a', rules(), http('https://${host}/'), { host: 'evil.example' })).toContain('evil.example')
    // Nothing of a value becomes another part of the address.
    const sly = { host: 'x@evil.example/#files.marram.example' }
    expect(hostOf(http('https://${host}/'), sly)).not.toBe('evil.example')
    expect(signInFault('a', rules(), http('https://${host}/'), sly)).not.toBeNull()
    expect(
      signInFault('a', rules(), action({ kind: 'ssh', host: '${h}', command: 'x' }), { h: 'evil.example' }),
    ).not.toBeNull()
  })

  it('without TLS only if it says so', () => {
    expect(signInFault('a', rules(), http('http://files.marram.example/'))).toContain('unencrypted')
    expect(signInFault('a', rules({ plain: true }), http('http://files.marram.example/'))).toBeNull()
  })
})
