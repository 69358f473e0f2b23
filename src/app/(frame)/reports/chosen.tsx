'use client'
import { X } from 'lucide-react'
import type { ReactNode } from 'react'
import { Button } from '@/ui/parts/button'
import { Row, Small, Stack } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'

/** Several of many: what is chosen stands there, one more is chosen from the rest. */
export function Chosen({
  label,
  none,
  ids,
  choices,
  onChange,
  error,
}: {
  readonly label: string
  /** What it means that nothing is chosen. */
  readonly none: string
  readonly ids: readonly number[]
  readonly choices: readonly { readonly id: number; readonly title: string }[]
  readonly onChange: (ids: number[]) => void
  readonly error?: string | undefined
}): ReactNode {
  const titleOf = (id: number): string => choices.find((choice) => choice.id === id)?.title ?? `#${id}`
  return (
    <Stack $gap={4}>
      <Select
        label={label}
        value={null}
        placeholder={ids.length === 0 ? none : 'one more'}
        onChange={(id: string) => onChange([...ids, Number(id)])}
        choices={choices.filter(({ id }) => !ids.includes(id)).map(({ id, title }) => ({ id: String(id), title }))}
        error={error}
        width="250px"
      />
      {ids.length > 0 && (
        <Row $wrap $gap={4} style={{ width: 250 }}>
          {ids.map((id) => (
            <Button key={id} kind="quiet" onPress={() => onChange(ids.filter((one) => one !== id))}>
              <Small>{titleOf(id)}</Small>
              <X size={12} aria-label="Take away" />
            </Button>
          ))}
        </Row>
      )}
    </Stack>
  )
}
