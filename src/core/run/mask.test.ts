import { execFileSync } from 'node:child_process'
import fc from 'fast-check'
import { accountSecrets, makeMask, MASK } from './mask'

const SECRET = `kelp & "tide" 'n/9$?é`

describe('a secret is hidden', () => {
  it.each<[string, string]>([
    ['as it is', SECRET],
    ['percent-encoded', encodeURIComponent(SECRET)],
    ['percent-encoded with small letters', encodeURIComponent(SECRET).replace(/%../g, (code) => code.toLowerCase())],
    ['as a form', new URLSearchParams({ x: SECRET }).toString().slice(2)],
    [
      'each byte percent-encoded',
      [...Buffer.from(SECRET)].map((b) => `%${b.toString(16).toUpperCase().padStart(2, '0')}`).join(''),
    ],
    ['in base64', Buffer.from(SECRET).toString('base64').replace(/=+$/, '').slice(0, -1)],
    ['in JSON', JSON.stringify(SECRET).slice(1, -1)],
    ['in JSON with slashes escaped', JSON.stringify(SECRET).slice(1, -1).replaceAll('/', '\\/')],
    ['in JSON in JSON', JSON.stringify(JSON.stringify(SECRET)).slice(3, -3)],
    ['in single quotes of a shell', SECRET.replaceAll("'", `'\\''`)],
    ['in double quotes of a shell', SECRET.replace(/[$`"\\]/g, '\\$&')],
    ['in HTML', SECRET.replaceAll('&', '&amp;').replaceAll('"', '&quot;')],
    [
      'in HTML with all that may be escaped',
      SECRET.replaceAll('&', '&amp;').replaceAll('"', '&quot;').replaceAll("'", '&#39;'),
    ],
    ['in base64 for addresses', Buffer.from(SECRET).toString('base64url').slice(0, -1)],
    ['in JSON of letters of ASCII alone', JSON.stringify(SECRET).slice(1, -1).replace('é', '\\u00e9')],
    [
      'in JSON as it stands in a page',
      JSON.stringify(SECRET)
        .slice(1, -1)
        .replace(/[&']/g, (c) => `\\u00${c.charCodeAt(0).toString(16)}`),
    ],
    ['in single quotes, the other way', SECRET.replaceAll("'", `'"'"'`)],
  ])('%s', (_, shown) => {
    const masked = makeMask([SECRET])(`before ${shown} after`)
    expect(masked).toBe(`before ${MASK} after`)
  })

  it('as a real shell quotes it', () => {
    const quoted = execFileSync('bash', ['-c', 'printf %q "$1"', 'bash', 'kelp and tide 9'], { encoding: 'utf8' })
    expect(makeMask(['kelp and tide 9'])(quoted)).toBe(MASK)
  })

  it('in base64 of whatever it stands in, but for a character at its ends', () => {
    fc.assert(
      fc.property(
        fc.string({ maxLength: 9 }),
        fc.string({ minLength: 8, maxLength: 30 }),
        fc.string({ maxLength: 9 }),
        (before, secret, after) => {
          const shown = Buffer.from(before + secret + after).toString('base64')
          const masked = makeMask([secret])(shown)
          const left = masked.replace(MASK, '')
          // What remains are the groups around it.
          expect(masked).toContain(MASK)
          expect(left.length).toBeLessThanOrEqual(Math.ceil((Buffer.byteLength(before + after) * 4) / 3) + 6)
        },
      ),
    )
  })

  it('from four characters on, and its lines each', () => {
    const mask = makeMask(['abcd', 'xyz', 'first line\nsecond line'])
    expect(mask('abcd xyz second line')).toBe(`${MASK} xyz ${MASK}`)
  })

  it('as somebody signs in with it', () => {
    const [secret = '', basic = ''] = accountSecrets('harbour', 'kelp-and-tide')
    expect(makeMask([secret, basic])(`Basic ${Buffer.from('harbour:kelp-and-tide').toString('base64')}`)).toBe(
      `Basic ${MASK}`,
    )
  })
})
