/** `a, b, c and 2 more`: the first of some names, and how many are left. */
export const someOf = (names: readonly string[], most = 3): string =>
  names.slice(0, most).join(', ') + (names.length > most ? ` and ${names.length - most} more` : '')
