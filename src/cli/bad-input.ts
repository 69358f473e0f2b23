/** What was given cannot be used: told on standard error, exit 2. An empty message was told already. */
export class BadInput extends Error {}
