'use client'
import type { ReactNode } from 'react'
import { TextField } from '@/ui/parts/fields'
import { Select } from '@/ui/parts/select'
import { Stack } from '@/ui/parts/layout'

interface Plain {
  readonly name: string
  readonly title: string
  readonly type: 'string' | 'number' | 'boolean' | 'choice'
  readonly choices: readonly string[]
  readonly isNeeded: boolean
}

/** The fields of a schema that is an object of plain values; null: it is more than that, and is edited as JSON. */
export function plainFields(schema: unknown): Plain[] | null {
  const { type, properties, required } = (schema ?? {}) as { type?: unknown; properties?: unknown; required?: unknown }
  if (type !== 'object' || typeof properties !== 'object' || properties === null) return null
  const needed = new Set(Array.isArray(required) ? (required as unknown[]) : [])
  const fields = Object.entries(properties as Record<string, Record<string, unknown>>).map(
    ([name, of]): Plain | null => {
      const choices =
        Array.isArray(of.enum) && of.enum.every((each) => typeof each === 'string') ? (of.enum as string[]) : null
      const kind = choices ? 'choice' : of.type === 'integer' ? 'number' : of.type
      if (kind !== 'string' && kind !== 'number' && kind !== 'boolean' && kind !== 'choice') return null
      return {
        name,
        title: typeof of.title === 'string' ? of.title : name,
        type: kind,
        choices: choices ?? [],
        isNeeded: needed.has(name),
      }
    },
  )
  return fields.every((field) => field !== null) ? fields : null
}

type Data = Readonly<Record<string, unknown>>

/** An item's data as a form. Numbers stay as they were typed while they are none. */
export function DataFields({
  fields,
  value,
  onChange,
  faultOf,
}: {
  fields: readonly Plain[]
  value: Data
  onChange: (value: Data) => void
  faultOf: (name: string) => string | undefined
}): ReactNode {
  const set = (name: string, next: unknown): void => {
    const { [name]: _, ...rest } = value
    onChange(next === undefined ? rest : { ...rest, [name]: next })
  }
  return (
    <Stack $gap={8}>
      {fields.map(({ name, title, type, choices, isNeeded }) => {
        const now = value[name]
        const text = now === undefined || now === null ? '' : String(now as string | number | boolean)
        const label = isNeeded ? title : `${title} (may be left out)`
        if (type === 'choice' || type === 'boolean')
          return (
            <Select
              key={name}
              label={label}
              value={text === '' ? '' : text}
              onChange={(next) => set(name, next === '' ? undefined : type === 'boolean' ? next === 'true' : next)}
              choices={[
                { id: '', title: 'not given' },
                ...(type === 'boolean' ? ['true', 'false'] : choices).map((id) => ({ id, title: id })),
              ]}
              error={faultOf(name)}
            />
          )
        return (
          <TextField
            key={name}
            label={label}
            value={text}
            onChange={(next) =>
              set(
                name,
                next === ''
                  ? undefined
                  : type === 'number' && next.trim() !== '' && !Number.isNaN(Number(next))
                    ? Number(next)
                    : next,
              )
            }
            error={faultOf(name)}
          />
        )
      })}
    </Stack>
  )
}
