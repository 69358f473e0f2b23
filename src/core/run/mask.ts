/**
 * Hides secrets in text. Values of fewer than 4 characters are not looked for: they would black out ordinary text and tell more than they hide.
 * A secret of several lines is hidden line by line too, since output is masked line by line; and in the dress in which programs print what they were given: percent-encoded, as a form, in base64 at
 * any place of a longer text, escaped in JSON, quoted for a shell, as entities of HTML.
 */
export const MASK = '****'
const LEAST = 4

/** A user name and a secret as they go over the line where somebody signs in by HTTP (RFC 7617). A server may echo them. */
export const basicCredentials = (user: string, secret: string): string =>
  Buffer.from(`${user}:${secret}`).toString('base64')

/** What must not be seen of an account: its secret, and every form in which it travels readably. */
export const accountSecrets = (user: string, secret: string): string[] =>
  secret === '' ? [] : [secret, basicCredentials(user, secret)]

export interface Mask {
  (text: string): string
  /** All that is looked for, the longest first. */
  readonly needles: readonly string[]
}

const lowerHex = (text: string): string => text.replace(/%[0-9A-F]{2}/g, (code) => code.toLowerCase())
const everyByte = (text: string): string =>
  [...Buffer.from(text)].map((byte) => `%${byte.toString(16).padStart(2, '0')}`).join('')

function percentForms(secret: string): string[] {
  // RFC 3986 leaves open which of !'()* are encoded; programs differ, and in the case of the digits too.
  const plain = encodeURIComponent(secret)
  const strict = plain.replace(/[!'()*]/g, (char) => `%${char.charCodeAt(0).toString(16).toUpperCase()}`)
  const whole = encodeURI(secret)
  const forms = [plain, strict, whole].flatMap((text) => [text, text.replaceAll('%20', '+')])
  return [...forms, ...forms.map(lowerHex), everyByte(secret), everyByte(secret).toUpperCase()]
}

/** What of a text's base64 is the same whatever stands around it: for each of the three places it can begin at in a group (RFC 4648, 4). */
function base64Forms(secret: string): string[] {
  const bytes = Buffer.from(secret)
  return [0, 1, 2].flatMap((before) => {
    const all = Buffer.concat([Buffer.alloc(before), bytes])
      .toString('base64')
      .replace(/=+$/, '')
    const from = Math.ceil((before * 8) / 6)
    const isWhole = (before + bytes.length) % 3 === 0
    const inner = all.slice(from, isWhole ? undefined : -1)
    return [inner, inner.replaceAll('+', '-').replaceAll('/', '_')]
  })
}

function escapedForms(secret: string): string[] {
  const json = JSON.stringify(secret).slice(1, -1)
  const ascii = json.replace(/[\u0080-\uffff]/g, (char) => `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`)
  return [
    json,
    json.replaceAll('/', '\\/'),
    ascii,
    ascii.replaceAll('/', '\\/'),
    json.replace(/[<>&']/g, (char) => `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`),
    // JSON in JSON.
    JSON.stringify(json).slice(1, -1),
    // In single quotes, in double quotes, and with a backslash before each odd character (POSIX.1-2017, XCU 2.2).
    secret.replaceAll("'", `'\\''`),
    secret.replaceAll("'", `'"'"'`),
    secret.replace(/[$`"\\]/g, '\\$&'),
    secret.replace(/[^\w@%+=:,./-]/g, '\\$&'),
    secret.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;'),
    secret
      .replaceAll('&', '&amp;')
      .replaceAll('<', '&lt;')
      .replaceAll('>', '&gt;')
      .replaceAll('"', '&quot;')
      .replaceAll("'", '&#39;'),
  ]
}

export function makeMask(secrets: readonly string[]): Mask {
  const needles = new Set<string>()
  for (const secret of secrets)
    for (const part of [secret, ...secret.split(/\r?\n/)]) {
      if (part.length < LEAST) continue
      for (const form of [part, ...percentForms(part), ...base64Forms(part), ...escapedForms(part)])
        if (form.length >= LEAST) needles.add(form)
    }
  // Longest first, so that a secret that contains another is hidden whole.
  const ordered = [...needles].sort((a, b) => b.length - a.length)
  const mask = (text: string): string => ordered.reduce((masked, needle) => masked.replaceAll(needle, MASK), text)
  return Object.assign(needles.size === 0 ? (text: string) => text : mask, { needles: ordered })
}
