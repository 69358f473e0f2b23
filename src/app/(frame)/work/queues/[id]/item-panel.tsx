'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import styled from 'styled-components'
import { OVER } from '@/core/events/item'
import { PRIORITIES } from '@/core/dispatch/types'
import type { ItemFull, StoryLine } from '@/service/queues/items'
import type { QueueFull } from '@/service/queues/queues'
import { api, type ApiProblem } from '@/ui/api'
import { duration } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { FactItem, Facts, Mono, Panel, Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Select } from '@/ui/parts/select'
import { StateChip } from '@/ui/parts/state-mark'
import { Time } from '@/ui/parts/time'
import { ITEM_MARKS, inShort } from '../item-words'
import { useItemData } from './item-data'

const Story = styled.ol`
  li {
    display: flex;
    gap: 10px;
    padding: 4px 0;
    border-top: 1px solid var(--line);
  }
  li > :first-child {
    flex: none;
    color: var(--mute);
  }
`
const Pairs = styled.dl`
  display: grid;
  grid-template-columns: minmax(90px, auto) 1fr;
  gap: 3px 14px;
  dt {
    color: var(--mute);
  }
  dd {
    overflow-wrap: anywhere;
  }
`

/** One item beside its queue: what it is, what happened to it, and what can be done with it. */
export function ItemPanel({ id, queue, onClose }: { id: number; queue: QueueFull; onClose: () => void }): ReactNode {
  const { data: item, error } = useQuery({ queryKey: ['items', id], queryFn: () => api.get<ItemFull>(`/items/${id}`) })
  return (
    <Panel
      style={{ width: 380, flex: 'none', overflow: 'auto', position: 'relative', padding: '10px 14px' }}
      aria-label="The item"
    >
      <Trouble error={error} />
      {item && <Inside key={`${id} ${item.version}`} item={item} queue={queue} onClose={onClose} />}
    </Panel>
  )
}

function Inside({ item, queue, onClose }: { item: ItemFull; queue: QueueFull; onClose: () => void }): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const [editing, setEditing] = useState(false)
  const why = queue.may === 'see' || queue.may === 'none' ? 'It takes the right to operate here.' : undefined
  const act = (work: Promise<unknown>, done: string): void => {
    work.then(
      () => {
        for (const key of ['items', 'queues']) void client.invalidateQueries({ queryKey: [key] })
        say(done)
      },
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  const name = item.key ?? `Item ${item.id}`
  const isOver = OVER.has(item.state)
  return (
    <Stack $gap={10}>
      <Row $wrap>
        <h2>{name}</h2>
        <Small>item {item.id}</Small>
        <StateChip mark={ITEM_MARKS[item.state]}>{item.state}</StateChip>
        <Spring />
        <Button kind="quiet" aria-label="Close the item" onPress={onClose}>
          ×
        </Button>
      </Row>
      {item.reason && <p>“{item.reason}”</p>}
      {!editing && (
        <Row $wrap>
          {(isOver || item.state === 'waiting') && (
            <Button kind={isOver ? 'strong' : 'plain'} onPress={() => setEditing(true)} whyNot={why}>
              {isOver ? 'Mend and put back' : 'Change'}
            </Button>
          )}
          {['waiting', 'rejected', 'failed'].includes(item.state) && (
            <Button
              onPress={() => act(api.post(`/items/${item.id}/withdraw`, {}), `${name} is withdrawn.`)}
              whyNot={why}
            >
              Withdraw
            </Button>
          )}
          {item.state === 'waiting' && (
            <Button
              onPress={() =>
                act(
                  api.post(`/items/${item.id}/postpone`, {
                    notBefore: item.notBefore ? null : new Date(Date.now() + 3_600_000).toISOString(),
                  }),
                  item.notBefore ? `${name} may be taken now.` : `${name} waits for an hour.`,
                )
              }
              whyNot={why}
            >
              {item.notBefore ? 'Let it go now' : 'Postpone by an hour'}
            </Button>
          )}
        </Row>
      )}
      {editing ? (
        <Edit item={item} queue={queue} onDone={() => setEditing(false)} />
      ) : (
        <>
          <Data data={item.data} />
          <Facts>
            <FactItem name="priority">{item.priority}</FactItem>
            {item.due && (
              <FactItem name="due">
                <Time at={String(item.due)} withRelative />
              </FactItem>
            )}
            {item.notBefore && (
              <FactItem name="not before">
                <Time at={String(item.notBefore)} withRelative />
              </FactItem>
            )}
            <FactItem name="tries">
              {item.tries} of {queue.tries}
            </FactItem>
          </Facts>
          {item.result !== null && (
            <Stack $gap={3}>
              <h3>Its result</h3>
              <Data data={item.result} />
            </Stack>
          )}
        </>
      )}
      <Stack $gap={3}>
        <h3>Its story</h3>
        <Story>
          {item.story.map((line, i) => (
            <li key={i}>
              <Time at={String(line.at)} />
              <span>
                <Line line={line} />
              </span>
            </li>
          ))}
        </Story>
      </Stack>
      {item.sameKey.length > 0 && (
        <Small>
          The same key before:{' '}
          {item.sameKey.map((one) => (
            <span key={one.id}>
              <Link href={`/work/queues/${queue.id}?item=${one.id}`}>item {one.id}</Link>, {one.state}{' '}
              {one.endedAt && <Time at={String(one.endedAt)} />}{' '}
            </span>
          ))}
        </Small>
      )}
    </Stack>
  )
}

function Line({ line }: { line: StoryLine }): ReactNode {
  if (line.kind !== 'take') return line.words
  const took = line.until ? new Date(line.until).getTime() - new Date(line.at).getTime() : null
  return (
    <>
      {line.words}
      {line.runId !== null && (
        <>
          , <Link href={`/runs/${line.runId}`}>#{line.runId}</Link>
        </>
      )}
      {line.outcome ? `, ${line.outcome === 'later' ? 'put back for later' : line.outcome}` : ', at it now'}
      {took !== null && <Small> after {duration(took)}</Small>}
    </>
  )
}

function Data({ data }: { data: unknown }): ReactNode {
  if (typeof data === 'object' && data !== null && !Array.isArray(data))
    return (
      <Pairs>
        {Object.entries(data).map(([name, value]) => (
          <div key={name} style={{ display: 'contents' }}>
            <dt>{name}</dt>
            <dd>{inShort(value)}</dd>
          </div>
        ))}
      </Pairs>
    )
  return data === null ? <Small>It has no data.</Small> : <Mono>{JSON.stringify(data, null, 2)}</Mono>
}

/** The data as a form where its queue says what it is, else as JSON; put back, or saved, with what was mended. */
function Edit({ item, queue, onDone }: { item: ItemFull; queue: QueueFull; onDone: () => void }): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const [key, setKey] = useState(item.key ?? '')
  const [priority, setPriority] = useState<string>(item.priority)
  const { trouble, setTrouble, faultOf } = useTrouble()
  const written = useItemData(queue.schema, item.data, faultOf)
  const isOver = OVER.has(item.state)
  const submit = (): void => {
    const given = written.read()
    if (!given) return
    const changed = {
      ...(JSON.stringify(given.data) === JSON.stringify(item.data) ? {} : given),
      ...(priority === item.priority ? {} : { priority }),
      ...(key === (item.key ?? '') ? {} : { key: key === '' ? null : key }),
    }
    const sent = isOver
      ? api.post(`/items/${item.id}/again`, changed)
      : api.post(`/items/${item.id}/change`, { ...changed, version: item.version })
    sent.then(() => {
      for (const kind of ['items', 'queues']) void client.invalidateQueries({ queryKey: [kind] })
      say(isOver ? 'It is put back.' : 'It is changed.')
      onDone()
    }, setTrouble)
  }
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault()
        submit()
      }}
    >
      <Stack $gap={8}>
        <Trouble error={trouble && (trouble.errors.length === 0 || !written.isForm) ? trouble : null} />
        <TextField label="Key" value={key} onChange={setKey} error={faultOf('key')} mono />
        {written.input}
        <Select
          label="Priority"
          value={priority}
          onChange={setPriority}
          choices={PRIORITIES.map((id) => ({ id, title: id }))}
        />
        <Row>
          <Spring />
          <Button onPress={onDone}>Cancel</Button>
          <Button kind="strong" type="submit">
            {isOver ? 'Put back' : 'Save'}
          </Button>
        </Row>
      </Stack>
    </form>
  )
}
