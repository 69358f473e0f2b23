/** What is wrong with a regular expression (ECMAScript’s, without flags), in a sentence; undefined: nothing. */
export function regexFault(text: string): string | undefined {
  try {
    new RegExp(text)
    return undefined
  } catch (error) {
    return `Not a regular expression: ${(error as Error).message}`
  }
}
