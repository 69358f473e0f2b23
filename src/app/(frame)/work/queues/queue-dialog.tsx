'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent, type ReactNode } from 'react'
import type { QueueFull } from '@/service/queues/queues'
import type { AreaRow } from '@/service/work/areas'
import { designable } from '@/app/shared/work/designable'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Dialog } from '@/ui/parts/dialog'
import { Switch, TextField } from '@/ui/parts/fields'
import { Row, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'

const KEYS = [
  { id: 'none', title: 'may stand there twice' },
  { id: 'open', title: 'once among those that are not over' },
  { id: 'ever', title: 'once ever' },
]

/** What a queue is, and how its items are tried. */
export function QueueDialog({
  queue,
  onClose,
  onDone,
}: {
  /** null: a new one. */
  queue: QueueFull | null
  onClose: () => void
  onDone?: (id: number) => void
}): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const { data: all = [] } = useQuery({ queryKey: ['areas'], queryFn: () => api.get<AreaRow[]>('/areas') })
  const areas = designable(all)
  const [title, setTitle] = useState(queue?.title ?? '')
  const [areaId, setAreaId] = useState<string | null>(queue ? String(queue.areaId) : null)
  const [tries, setTries] = useState(String(queue?.tries ?? 3))
  const [delay, setDelay] = useState(String(queue?.delaySeconds ?? 60))
  const [keys, setKeys] = useState<string>(queue?.keys ?? 'open')
  const [keepDays, setKeepDays] = useState(String(queue?.keepDays ?? 90))
  const [mostRejected, setMostRejected] = useState(String(queue?.mostRejected ?? 10))
  const [schema, setSchema] = useState(queue?.schema ? JSON.stringify(queue.schema, null, 2) : '')
  const [active, setActive] = useState(queue?.active ?? true)
  const [notes, setNotes] = useState(queue?.notes ?? '')
  const [schemaFault, setSchemaFault] = useState<string>()
  const { trouble, setTrouble, faultOf } = useTrouble()
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    let read: unknown = null
    try {
      read = schema.trim() === '' ? null : JSON.parse(schema)
      setSchemaFault(undefined)
    } catch (error) {
      setSchemaFault(`This is not JSON: ${(error as Error).message}.`)
      return
    }
    const body = {
      title,
      notes,
      areaId: Number(areaId),
      tries: Number(tries),
      delaySeconds: Number(delay),
      keys,
      schema: read,
      keepDays: Number(keepDays),
      mostRejected: Number(mostRejected),
      active,
    }
    const sent = queue
      ? api.put(`/queues/${queue.id}`, { ...body, version: queue.version })
      : api.post<{ id: number }>('/queues', body)
    sent.then((made) => {
      void client.invalidateQueries({ queryKey: ['queues'] })
      onClose()
      if (!queue) onDone?.((made as { id: number }).id)
    }, setTrouble)
  }
  const remove = (): void => {
    api.delete(`/queues/${queue?.id}`).then(
      () => {
        void client.invalidateQueries({ queryKey: ['queues'] })
        say(`${title} is removed.`)
        onDone?.(0)
      },
      (error: ApiProblem) => setTrouble(error),
    )
  }
  return (
    <Dialog title={queue ? `Settings of ${queue.title}` : 'New queue'} isOpen onClose={onClose} width={560}>
      <form onSubmit={submit}>
        <Stack $gap={12}>
          <Trouble error={trouble?.errors.length === 0 ? trouble : null} />
          <Row $top $gap={12}>
            <TextField
              label="Title"
              value={title}
              onChange={setTitle}
              error={faultOf('title')}
              autoFocus
              width="250px"
            />
            <Select
              label="Area"
              value={areaId}
              onChange={setAreaId}
              choices={areas.map((area) => ({ id: String(area.id), title: area.path }))}
              placeholder="Choose an area"
              error={faultOf('areaId')}
              width="250px"
            />
          </Row>
          <Row $top $gap={12}>
            <TextField
              label="Tries of an item"
              value={tries}
              onChange={setTries}
              error={faultOf('tries')}
              width="119px"
            />
            <TextField
              label="Seconds between"
              value={delay}
              onChange={setDelay}
              error={faultOf('delaySeconds')}
              width="119px"
            />
            <Select
              label="A key"
              value={keys}
              onChange={setKeys}
              choices={KEYS}
              error={faultOf('keys')}
              width="250px"
            />
          </Row>
          <Row $top $gap={12}>
            <TextField
              label="Days that what is over is kept"
              value={keepDays}
              onChange={setKeepDays}
              error={faultOf('keepDays')}
              width="250px"
            />
            <TextField
              label="Rejected ones before a person is told"
              value={mostRejected}
              onChange={setMostRejected}
              error={faultOf('mostRejected')}
              width="250px"
            />
          </Row>
          <Row>
            <div>
              <Switch isSelected={active} onChange={setActive}>
                {active ? 'on: items are taken' : 'off: items arrive, and none is taken'}
              </Switch>
            </div>
          </Row>
          <TextField
            label="What the data of an item must be, as JSON Schema 2020-12"
            value={schema}
            onChange={setSchema}
            error={schemaFault ?? faultOf('schema')}
            placeholder="anything"
            rows={5}
            mono
          />
          <TextField label="Notes" value={notes} onChange={setNotes} error={faultOf('notes')} />
          <Row>
            {queue && (
              <Button kind="danger" onPress={remove}>
                Remove
              </Button>
            )}
            <Spring />
            <Button onPress={onClose}>Cancel</Button>
            <Button kind="strong" type="submit">
              {queue ? 'Save' : 'Make it'}
            </Button>
          </Row>
        </Stack>
      </form>
    </Dialog>
  )
}
