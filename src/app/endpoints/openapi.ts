import { z, type ZodType } from 'zod'
import type { Endpoint } from '@/app/server/endpoint'

/** What belongs together, as the documentation tells it. */
export interface ApiArea {
  readonly title: string
  /** Said before its endpoints; Markdown. */
  readonly note?: string
  readonly endpoints: readonly Endpoint[]
}

type Json = Readonly<Record<string, unknown>>

/** Schemas that several others refer to, by name. */
type Shared = Record<string, unknown>

/** A schema of Zod as JSON Schema 2020-12, as what is sent must be. What only code can check is not told. What it defines beside itself goes to what is shared. */
function schemaOf(schema: ZodType, shared: Shared, name: string): Json {
  const { $schema: _, $defs = {}, ...rest } = z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any' })
  // What has no name of its own is named after the operation.
  const named = (own: string): string => (own.startsWith('__') ? `${name}${own.replace(/\D+/, '')}` : own)
  const moved = (part: unknown): unknown =>
    JSON.parse(JSON.stringify(part), (key, value: unknown) =>
      key === '$ref' && typeof value === 'string'
        ? `#/components/schemas/${named(value.replace('#/$defs/', ''))}`
        : value,
    )
  for (const [own, definition] of Object.entries($defs)) shared[named(own)] = moved(definition)
  return moved(rest) as Json
}

const operationIdOf = ({ method, path }: Endpoint): string =>
  `${method.toLowerCase()}${path.replaceAll(/[/.:-]+(\w)/g, (_, first: string) => first.toUpperCase())}`

/** `/runs/:id/stop` → `/runs/{id}/stop`. */
const templated = (path: string): string => path.replaceAll(/:(\w+)/g, '{$1}')

function parametersOf(endpoint: Endpoint, shared: Shared): Json[] {
  const { path, query } = endpoint
  const inPath = Array.from(path.matchAll(/:(\w+)/g), ([, name]) => ({
    name,
    in: 'path',
    required: true,
    schema: { type: 'integer', minimum: 1 },
  }))
  const asked = query
    ? (schemaOf(query, shared, `${operationIdOf(endpoint)}Query`) as {
        properties?: Record<string, Json>
        required?: string[]
      })
    : {}
  const inQuery = Object.entries(asked.properties ?? {}).map(([name, schema]) => ({
    name,
    in: 'query',
    required: asked.required?.includes(name) ?? false,
    schema,
  }))
  return [...inPath, ...inQuery]
}

function operationOf(endpoint: Endpoint, tag: string, shared: Shared): Json {
  const { method, right, says, body } = endpoint
  const operationId = operationIdOf(endpoint)
  const parameters = parametersOf(endpoint, shared)
  const done = { description: 'Done; JSON where there is something to say.', content: { 'application/json': {} } }
  return {
    operationId,
    summary: says,
    description: `Needs the right *${right}*.`,
    tags: [tag],
    ...(parameters.length > 0 ? { parameters } : {}),
    ...(body
      ? { requestBody: { content: { 'application/json': { schema: schemaOf(body, shared, operationId) } } } }
      : {}),
    responses: {
      [method === 'POST' && !endpoint.reads ? '201' : '200']: done,
      '204': { description: 'Done; nothing to say.' },
      default: {
        description: 'A problem (RFC 9457).',
        content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
      },
    },
  }
}

/** The API as an OpenAPI 3.1 document, made from the endpoints and the schemas that they read with. */
export function openApiDocument(areas: readonly ApiArea[]): Json {
  const shared: Shared = {}
  const paths: Record<string, Record<string, Json>> = {}
  for (const { title, endpoints } of areas)
    for (const endpoint of endpoints) {
      const path = (paths[templated(endpoint.path)] ??= {})
      path[endpoint.method.toLowerCase()] = operationOf(endpoint, title, shared)
    }
  return {
    openapi: '3.1.0',
    info: { title: 'Bugle', version: '1' },
    servers: [{ url: '/api/v1' }],
    security: [{ token: [] }],
    tags: areas.map(({ title }) => ({ name: title })),
    paths,
    components: {
      securitySchemes: { token: { type: 'http', scheme: 'bearer' } },
      schemas: {
        ...shared,
        Problem: {
          type: 'object',
          required: ['type', 'title', 'status', 'detail'],
          properties: {
            type: { type: 'string' },
            title: { type: 'string' },
            status: { type: 'integer' },
            detail: { type: 'string' },
            errors: {
              type: 'array',
              items: {
                type: 'object',
                properties: { path: { type: 'string' }, message: { type: 'string' } },
              },
            },
          },
        },
      },
    },
  }
}
