/**
 * Puts inputs into shell text without ever putting a value there: `${name}` of a known input stays a reference to the environment variable of that name,
 * and gets double quotes where it stands unquoted, so that the shell neither splits nor expands the value. The shell does not read the
 * result of a parameter expansion as code (POSIX.1-2017, XCU 2.6), so no value can become a command.
 *
 * In single quotes nothing is expanded, and the text is left as it is.
 */
export function quoteReferences(text: string, names: ReadonlySet<string>): string {
  let out = ''
  let quote: '"' | "'" | null = null
  for (let i = 0; i < text.length; i++) {
    const char = text[i] as string
    if (char === '\\' && quote !== "'") {
      out += char + (text[++i] ?? '')
      continue
    }
    if (quote === null && (char === '"' || char === "'")) quote = char
    else if (char === quote) quote = null
    else if (char === '$' && quote === null) {
      const reference = /^\$\{([A-Za-z_]\w*)\}/.exec(text.slice(i))
      if (reference && names.has(reference[1] as string)) {
        out += `"${reference[0]}"`
        i += reference[0].length - 1
        continue
      }
    }
    out += char
  }
  return out
}

/** Names written as `${name}` inside single quotes, where the shell leaves them as they are: worth a warning while writing. */
export function referencesInSingleQuotes(text: string, names: ReadonlySet<string>): string[] {
  const found = new Set<string>()
  for (const quoted of text.matchAll(/'([^']*)'/g)) {
    for (const reference of (quoted[1] as string).matchAll(/\$\{([A-Za-z_]\w*)\}/g)) {
      if (names.has(reference[1] as string)) found.add(reference[1] as string)
    }
  }
  return [...found]
}

/** A word the POSIX shell reads back as exactly this text. */
export function shellQuote(text: string): string {
  return /^[A-Za-z0-9_@%+=:,./-]+$/.test(text) ? text : `'${text.replaceAll("'", `'\\''`)}'`
}

export interface WhatRan {
  readonly argv: readonly string[]
  readonly environment: Readonly<Record<string, string>>
  readonly folder: string
}

/** What is written for the shell of a script: the text that the agent hands to the interpreter. */
export function scriptText(
  { interpreter, script }: { interpreter: string; script: string },
  names: ReadonlySet<string>,
): string {
  return interpreter === 'sh' || interpreter === 'bash' ? quoteReferences(script, names) : script
}

/**
 * What repeats the attempt by hand on that machine; masked secrets show as `****`. A script, whose file went with the attempt's folder, stands in it whole, as a here-document
 * (POSIX.1-2017, XCU 2.7.4); it is put into a file first, so that standard input stays free.
 */
export function repeatByHand(ran: WhatRan, script: string | null = null): string {
  const variables = Object.entries(ran.environment).map(([name, value]) => `${name}=${shellQuote(value)}`)
  const env = variables.length > 0 ? ['env', ...variables] : []
  const go = `cd ${shellQuote(ran.folder)} &&`
  const [program = 'sh'] = ran.argv
  if (script === null) return `${go} ${[...env, ...ran.argv.map(shellQuote)].join(' ')}`
  const lines = new Set(script.split('\n'))
  let end = 'END_OF_SCRIPT'
  while (lines.has(end)) end += '_'
  const command = [...env, shellQuote(program), '"$script"'].join(' ')
  return `${go} script=$(mktemp) && cat > "$script" <<'${end}' && ${command}; rm -f "$script"\n${script}\n${end}`
}
