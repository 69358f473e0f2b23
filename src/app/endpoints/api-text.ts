import { AREAS } from './areas'

/** What holds for all of the API; the endpoints themselves follow. */
const HEAD = `# API

JSON over HTTP under \`/api/v1\`, the same for the screens and for scripts. Make an access token in *Settings → Yours* and send it as \`Authorization: Bearer …\`; it does what you may do.

    curl -H "Authorization: Bearer $BUGLE_TOKEN" https://bugle.example/api/v1/runs?state=failed

What each endpoint takes, field by field, is told by the server itself as an OpenAPI 3.1 document at \`/api/v1/openapi.json\`.

- **Rights**: *see* (everybody), *operate* (operators: starting, stopping, switching triggers, draining agents; where an endpoint that takes it also changes more, that more takes *design* or *administer*), *design* (designers: work, calendars, triggers), *administer* (administrators: fleet and people). Each includes those before it.
- **Instants** are ISO 8601 in UTC, durations in milliseconds where the name ends in \`Ms\`, calendars, day and time rules as in [Files and rules](formats.md).
- **Problems** are RFC 9457: \`{"type": "urn:bugle:problem:invalid-input", "title", "status", "detail", "errors": [{"path", "message"}]}\`. Types: \`invalid-input\` (400), \`not-signed-in\` (401), \`not-allowed\`, \`foreign-origin\` (403), \`not-found\` (404), \`conflict\` (409: somebody saved first;
  \`theirs\` is what is there now), \`not-now\` (409), \`ask-first\` (409: read the warnings, then send \`"sure": true\`), \`too-large\` (413), \`too-many-attempts\` (429).
- **Lists** come in pages: \`next\` is what to send as \`after\`.
- A body has at most 1 MiB (32 MiB for files). A cookie's session may change something only from our own pages (\`Origin\`); a token from anywhere.
`

const TAIL = `
Beside these: \`GET /api/health\`; \`GET /calendars/TOKEN.ics\` (a subscription, without signing in); \`/api/agent/enrol\` for [agents](agent-protocol.md).
`

/** docs/api.md, made from the endpoints: \`npm run api-docs\` writes it. */
export function apiText(): string {
  const areas = AREAS.map(({ title, note, endpoints }) => {
    const rows = endpoints.map(
      ({ method, path, right, says }) => `| \`${method} ${path}\` | ${right} | ${says.replaceAll('|', '\\|')} |`,
    )
    return [`\n## ${title}`, ...(note ? [note, ''] : []), '| | needs | |', '|---|---|---|', ...rows, ''].join('\n')
  })
  return HEAD + areas.join('') + TAIL
}
