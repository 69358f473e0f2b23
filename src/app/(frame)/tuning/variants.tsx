'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { Change } from '@/core/forecast/change'
import type { Variant } from '@/service/forecast/variants'
import { api, type ApiProblem } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Row, Small, Stack, Trouble } from '@/ui/parts/layout'

export function useVariants(): readonly Variant[] {
  const { data = [] } = useQuery({
    queryKey: ['tuning', 'variants'],
    queryFn: () => api.get<Variant[]>('/tuning/variants'),
  })
  return data
}

/** Lists of changes that were kept, for everybody: taken up, or put beside what is shown. */
export function Variants({
  changes,
  compared,
  onTake,
  onCompare,
}: {
  changes: readonly Change[]
  /** Numbers of those that stand beside. */
  compared: readonly number[]
  onTake: (changes: readonly Change[]) => void
  onCompare: (id: number) => void
}): ReactNode {
  const [title, setTitle] = useState('')
  const [trouble, setTrouble] = useState<unknown>(null)
  const client = useQueryClient()
  const say = useSay()
  const { why } = useMay('design')
  const data = useVariants()
  const done = (words: string): void => {
    say(words)
    setTrouble(null)
    void client.invalidateQueries({ queryKey: ['tuning', 'variants'] })
  }
  return (
    <Stack $gap={6} style={{ marginTop: 10 }}>
      <h3>Variants</h3>
      {data.map((variant) => (
        <div key={variant.id}>
          <Row>
            <b style={{ flex: 1 }}>{variant.title}</b>
            <Small>
              {count(variant.changes.length, 'change')}, {variant.madeBy}
            </Small>
          </Row>
          <Row $gap={2} style={{ marginLeft: -8 }}>
            <Button kind="quiet" onPress={() => onTake(variant.changes)}>
              Look at it
            </Button>
            <Button
              kind="quiet"
              aria-pressed={compared.includes(variant.id)}
              aria-label={`Compare ${variant.title}`}
              onPress={() => onCompare(variant.id)}
            >
              {compared.includes(variant.id) ? 'Compared' : 'Compare'}
            </Button>
            <Button
              kind="quiet"
              whyNot={why}
              aria-label={`Remove ${variant.title}`}
              onPress={() =>
                api.delete(`/tuning/variants/${variant.id}`).then(
                  () => done(`${variant.title} is removed.`),
                  (problem: ApiProblem) => setTrouble(problem),
                )
              }
            >
              Remove
            </Button>
          </Row>
        </div>
      ))}
      <form
        onSubmit={(event) => {
          event.preventDefault()
          api.post('/tuning/variants', { title, changes }).then(
            () => {
              done(`${title} is kept.`)
              setTitle('')
            },
            (problem: ApiProblem) => setTrouble(problem),
          )
        }}
      >
        <Row style={{ alignItems: 'flex-end' }}>
          <TextField label="Keep these changes as" value={title} onChange={setTitle} width="190px" />
          <Button
            type="submit"
            whyNot={
              why ??
              (changes.length === 0 ? 'Add a change first.' : title.trim() === '' ? 'Give it a name.' : undefined)
            }
          >
            Keep
          </Button>
        </Row>
      </form>
      <Trouble error={trouble} />
    </Stack>
  )
}
