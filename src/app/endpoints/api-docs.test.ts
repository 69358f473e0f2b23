import { readFileSync } from 'node:fs'
import { Validator } from '@seriousme/openapi-schema-validator'
import { apiText } from './api-text'
import { AREAS } from './areas'
import { ENDPOINTS } from '.'
import { openApiDocument } from './openapi'

interface Operation {
  readonly operationId: string
  readonly parameters?: readonly { readonly name: string; readonly in: string; readonly required: boolean }[]
  readonly requestBody?: { readonly content: { 'application/json': { schema: { properties?: object } } } }
}
const document = JSON.parse(JSON.stringify(openApiDocument(AREAS))) as {
  paths: Record<string, Record<string, Operation>>
}
const operation = (method: string, path: string): Operation => document.paths[path]?.[method] as Operation

it('docs/api.md is what the endpoints say (npm run api-docs)', () => {
  expect(readFileSync('docs/api.md', 'utf8')).toBe(apiText())
})

describe('the OpenAPI document', () => {
  it('is valid, by a validator of its own', async () => {
    const { valid, errors } = await new Validator().validate(document)
    expect(errors ?? []).toEqual([])
    expect(valid).toBe(true)
  })

  it('has every endpoint once, under a name of its own', () => {
    const operations = Object.values(document.paths).flatMap((path) => Object.values(path))
    expect(operations).toHaveLength(ENDPOINTS.length)
    expect(new Set(operations.map(({ operationId }) => operationId)).size).toBe(ENDPOINTS.length)
  })

  it('tells what an endpoint reads with: numbers in the path, the query, the body', () => {
    expect(operation('get', '/runs/{id}/output').parameters).toEqual(
      expect.arrayContaining([
        { name: 'id', in: 'path', required: true, schema: { type: 'integer', minimum: 1 } },
        expect.objectContaining({ name: 'from', in: 'query', required: false }),
      ]),
    )
    const { schema } = operation('post', '/runs').requestBody?.content['application/json'] ?? {}
    expect(schema).toMatchObject({
      type: 'object',
      required: ['jobId'],
      properties: { jobId: { type: 'integer' }, inputs: { type: 'object' } },
    })
    expect(operation('get', '/matters').requestBody).toBeUndefined()
  })

  it('tells as fields all that a body may have', () => {
    for (const { method, path, body } of ENDPOINTS.filter((each) => each.body)) {
      const of = operation(method.toLowerCase(), path.replaceAll(/:(\w+)/g, '{$1}'))
      const { schema } = of.requestBody?.content['application/json'] ?? {}
      const shape = (body as { shape?: object }).shape
      if (shape) expect(Object.keys(schema?.properties ?? {}).sort()).toEqual(Object.keys(shape).sort())
    }
  })
})
