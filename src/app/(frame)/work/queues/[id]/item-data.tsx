'use client'
import { useState, type ReactNode } from 'react'
import { TextField } from '@/ui/parts/fields'
import { DataFields, plainFields } from './data-fields'

/**
 * The data of an item while it is written: as a form where the schema of its queue is plain, else as JSON.
 *
 * @param faultOf what the server says of a place, `data` or `data.NAME`
 */
export function useItemData(
  schema: unknown,
  initial: unknown,
  faultOf: (place: string) => string | undefined,
): {
  readonly isForm: boolean
  /** What was written; null: it is no JSON, as the input says now. */
  readonly read: () => { readonly data: unknown } | null
  readonly input: ReactNode
} {
  const fields = plainFields(schema)
  const [data, setData] = useState(initial)
  const [text, setText] = useState(() => JSON.stringify(initial, null, 2))
  const [jsonFault, setJsonFault] = useState<string>()
  const read = (): { data: unknown } | null => {
    if (fields) return { data }
    try {
      const given: unknown = JSON.parse(text)
      setJsonFault(undefined)
      return { data: given }
    } catch (error) {
      setJsonFault(`This is not JSON: ${(error as Error).message}.`)
      return null
    }
  }
  const input = fields ? (
    <DataFields
      fields={fields}
      value={(data ?? {}) as Record<string, unknown>}
      onChange={setData}
      faultOf={(name) => faultOf(`data.${name}`)}
    />
  ) : (
    <TextField
      label="Data, as JSON"
      value={text}
      onChange={setText}
      error={jsonFault ?? faultOf('data')}
      rows={8}
      mono
    />
  )
  return { isForm: fields !== null, read, input }
}
