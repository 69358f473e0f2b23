'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import type { QueueListed } from '@/service/queues/figures'
import { api } from '@/ui/api'
import { Checkbox } from '@/ui/parts/fields'
import { Mono, Row, Small, Stack } from '@/ui/parts/layout'
import { Part } from '@/ui/parts/sentence'
import type { SectionProps } from './section-props'

const WHAT = [
  ['take', 'It may take items from'],
  ['add', 'It may add items to'],
] as const

/** Work queues that its runs may take from and add to. Shown where there are any, or it names one. */
export function QueuesSection({ definition, define, faultOf }: SectionProps): ReactNode {
  const { queues } = definition
  const { data = [] } = useQuery({ queryKey: ['queues'], queryFn: () => api.get<QueueListed[]>('/queues') })
  const named = [...queues.take, ...queues.add].filter((slug) => !data.some((queue) => queue.slug === slug))
  const all = [
    ...data.map(({ slug, title }) => ({ slug, title })),
    ...[...new Set(named)].map((slug) => ({ slug, title: slug })),
  ]
  if (all.length === 0 || (definition.action.kind !== 'command' && definition.action.kind !== 'script')) return null
  const first = queues.take[0] ?? 'QUEUE'
  return (
    <Part aria-label="Work queues">
      <h2>Work queues</h2>
      <Stack>
        {WHAT.map(([what, words]) => (
          <Row key={what} $wrap $gap={14}>
            <span style={{ width: 150 }}>{words}</span>
            {all.map(({ slug, title }) => (
              <Checkbox
                key={slug}
                isSelected={queues[what].includes(slug)}
                onChange={(on) =>
                  define({
                    queues: {
                      ...queues,
                      [what]: on ? [...queues[what], slug] : queues[what].filter((one) => one !== slug),
                    },
                  })
                }
              >
                {title}
              </Checkbox>
            ))}
            {queues[what].map((_, i) => {
              const fault = faultOf(`definition.queues.${what}[${i}]`)
              return fault ? (
                <Small key={i} style={{ color: 'var(--failed)' }}>
                  {fault}
                </Small>
              ) : null
            })}
          </Row>
        ))}
        {queues.take.length > 0 && (
          <Small>
            In its command: <Mono>{`"$BUGLE_AGENT" item take ${first}`}</Mono> prints an item or {'{"item": null}'};
            then <Mono>item done NUMBER</Mono>, <Mono>reject</Mono>, <Mono>fail</Mono> or <Mono>later</Mono>.
          </Small>
        )}
      </Stack>
    </Part>
  )
}
