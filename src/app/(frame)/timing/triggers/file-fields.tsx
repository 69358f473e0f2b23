'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { isoDuration, parseDuration } from '@/core/timing/duration'
import type { FileEvent } from '@/core/events/kinds'
import type { AgentRow } from '@/service/fleet/fleet'
import type { WatchState } from '@/service/timing/files'
import { api } from '@/ui/api'
import { asTyped } from '@/ui/hooks/following'
import { Switch, TextField } from '@/ui/parts/fields'
import { Row, Small, Stack } from '@/ui/parts/layout'
import { NumberField } from '@/ui/parts/number-field'
import { Select } from '@/ui/parts/select'
import { Sentence, Word } from '@/ui/parts/sentence'
import { StateMark } from '@/ui/parts/state-mark'
import { Time } from '@/ui/parts/time'
import type { SectionProps } from '@/app/shared/timing/section-props'

/** On whose disk, which files, and when one is whole. */
export function FileFields({
  file,
  define,
  faultOf,
  id,
}: SectionProps & { file: FileEvent; id: number | null }): ReactNode {
  const { data: agents = [] } = useQuery({ queryKey: ['agents'], queryFn: () => api.get<AgentRow[]>('/agents') })
  const set = (change: Partial<FileEvent>): void => define({ file: { ...file, ...change } })
  const names = [...new Set([...agents.map(({ name }) => name), file.on.agent].filter(Boolean))]
  const seconds = parseDuration(file.settled)
  return (
    <Stack>
      <Sentence>
        <Word>on</Word>
        <Select
          label="Agent whose disk is looked at"
          hideLabel
          value={file.on.agent || null}
          onChange={(agent) => set({ on: { agent } })}
          choices={names.map((name) => ({ id: name, title: name }))}
          placeholder="Choose an agent"
          width="190px"
          error={faultOf('definition.file.on.agent')}
        />
        <Word>as</Word>
        <TextField
          label="Path"
          hideLabel
          mono
          value={file.path}
          onChange={(path) => set({ path })}
          error={faultOf('definition.file.path')}
          width="440px"
        />
      </Sentence>
      <Sentence>
        <Word>and has stood still for</Word>
        <NumberField
          label="Seconds that it has stood still"
          value={seconds ?? asTyped<number>(file.settled)}
          onChange={(next) => set({ settled: Number.isInteger(next) ? isoDuration(next) : String(next) })}
          error={faultOf('definition.file.settled')}
        />
        <Word>seconds.</Word>
        <div style={{ paddingTop: 4 }}>
          <Switch isSelected={file.present} onChange={(present) => set({ present })}>
            what lies there already counts, too
          </Switch>
        </div>
      </Sentence>
      <Small>
        “*” and “?” may stand in the name. Names that begin with a dot or end with .part or .tmp never count. Inputs
        called file, folder, size and modified take what they say.
      </Small>
      {id !== null && <Looked id={id} />}
    </Stack>
  )
}

/** How it goes with looking, as the agent says. */
function Looked({ id }: { id: number }): ReactNode {
  const { data } = useQuery({
    queryKey: ['triggers', id, 'watch'],
    queryFn: () => api.get<{ watch: WatchState | null }>(`/triggers/${id}/watch`),
  })
  if (!data) return null
  if (!data.watch) return <Small>Nobody has looked yet: the agent says so once it is connected.</Small>
  const { agent, fault, at } = data.watch
  return (
    <Row $gap={6} role="status">
      <StateMark mark={fault === null ? 'succeeded' : 'failed'} size={12} />
      <Small>
        {fault === null ? `${agent} looks for them` : `${agent}: ${fault}`}, since <Time at={at} />
      </Small>
    </Row>
  )
}
