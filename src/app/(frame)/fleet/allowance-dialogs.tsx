import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent, type ReactNode } from 'react'
import { ALLOWED, ALLOWED_WORDS, type Allowed } from '@/core/fleet/allowance'
import type { AllowanceRow, AskForMore } from '@/service/fleet/allowances'
import type { AreaRow } from '@/service/work/areas'
import { api } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { TextField } from '@/ui/parts/fields'
import { Row, Stack, Trouble } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'

const whole = (text: string): number | null => (text.trim() === '' ? null : Number(text))

/** Says how much may be in use at once; an empty field is no limit. */
export function AllowDialog({
  row,
  all,
  onClose,
}: {
  /** null: of an area that is chosen here. */
  row: AllowanceRow | null
  all: readonly AllowanceRow[]
  onClose: () => void
}): ReactNode {
  const client = useQueryClient()
  const { data: areas = [] } = useQuery({
    queryKey: ['areas'],
    queryFn: () => api.get<AreaRow[]>('/areas'),
    enabled: row === null,
  })
  const [what, setWhat] = useState<Allowed>(row?.what ?? 'slots')
  const [area, setArea] = useState<string | null>(null)
  const [units, setUnits] = useState(String(row?.units ?? ''))
  const { trouble, setTrouble, faultOf } = useTrouble()
  const areaId = row ? row.areaId : Number(area)
  const isThere = all.some((each) => each.what === what && each.areaId === areaId && each.units !== null)
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    api.put('/allowances', { what, areaId, units: whole(units) }).then(() => {
      void client.invalidateQueries({ queryKey: ['allowances'] })
      onClose()
    }, setTrouble)
  }
  return (
    <Dialog
      title={row ? `${row.area ?? 'Everywhere'}: ${ALLOWED_WORDS[row.what]}` : 'Limit an area'}
      isOpen
      onClose={onClose}
      width={460}
    >
      <form onSubmit={submit}>
        <Stack $gap={12}>
          <Trouble error={trouble?.errors.length === 0 ? trouble : null} />
          {!row && (
            <Row $top $gap={12}>
              <Select
                label="Area"
                value={area}
                onChange={setArea}
                choices={areas.map(({ id, path }) => ({ id: String(id), title: path }))}
                placeholder="Choose an area"
                error={faultOf('areaId')}
                width="220px"
              />
              <Select
                label="What"
                value={what}
                onChange={(chosen) => setWhat(chosen as Allowed)}
                choices={ALLOWED.map((id) => ({ id, title: ALLOWED_WORDS[id] }))}
                width="180px"
              />
            </Row>
          )}
          <TextField
            label="In use at once at most"
            value={units}
            onChange={setUnits}
            error={faultOf('units')}
            hint={row || isThere ? 'Empty: no limit. Fewer than are in use now stop nothing that runs.' : undefined}
            width="120px"
            autoFocus={row !== null}
          />
          <DialogButtons onClose={onClose}>Save</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}

const DAY_MS = 86_400_000
const TIMES = [
  { id: '', title: 'for good' },
  { id: '1', title: 'for a day' },
  { id: '7', title: 'for a week' },
  { id: '28', title: 'for four weeks' },
  { id: '91', title: 'for thirteen weeks' },
]

/** How much more, what for, until when. */
export function AskDialog({ id, title, onClose }: { id: number; title: string; onClose: () => void }): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const [units, setUnits] = useState('1')
  const [why, setWhy] = useState('')
  const [days, setDays] = useState('')
  const { trouble, setTrouble, faultOf } = useTrouble()
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    const until = days === '' ? null : new Date(Date.now() + Number(days) * DAY_MS).toISOString()
    api.post(`/allowances/${id}/asks`, { units: whole(units), why, until }).then(() => {
      say('Administrators have a matter about it; the answer comes by mail.')
      void client.invalidateQueries({ queryKey: ['allowances'] })
      onClose()
    }, setTrouble)
  }
  return (
    <Dialog title={`More ${title}`} isOpen onClose={onClose} width={460}>
      <form onSubmit={submit}>
        <Stack $gap={12}>
          <Trouble error={trouble?.errors.length === 0 ? trouble : null} />
          <Row $top $gap={12}>
            <TextField
              label="How many more"
              value={units}
              onChange={setUnits}
              error={faultOf('units')}
              width="120px"
              autoFocus
            />
            <Select label="Until when" value={days} onChange={setDays} choices={TIMES} width="180px" />
          </Row>
          <TextField label="What for" value={why} onChange={setWhy} error={faultOf('why')} />
          <DialogButtons onClose={onClose}>Ask</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}

/** Grants it, or declines it with a sentence. */
export function AnswerDialog({
  ask,
  title,
  onClose,
}: {
  ask: AskForMore
  title: string
  onClose: () => void
}): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const [answer, setAnswer] = useState('')
  const { trouble, setTrouble, faultOf } = useTrouble()
  const send = (grant: boolean): void => {
    api.post<{ mailed: boolean }>(`/allowance-asks/${ask.id}/answer`, { grant, answer }).then(({ mailed }) => {
      say(`${grant ? 'Granted' : 'Declined'}${mailed ? `; ${ask.askedBy} is told by mail` : '; no mail was sent'}.`)
      for (const key of ['allowances', 'matters']) void client.invalidateQueries({ queryKey: [key] })
      onClose()
    }, setTrouble)
  }
  return (
    <Dialog title={`${ask.units} more ${title}?`} isOpen onClose={onClose} width={460}>
      <Stack $gap={12}>
        <Trouble error={trouble?.errors.length === 0 ? trouble : null} />
        <p>
          {ask.askedBy}: {ask.why}
        </p>
        <TextField
          label="Your answer"
          value={answer}
          onChange={setAnswer}
          error={faultOf('answer')}
          hint="Where it is declined, why not."
          autoFocus
        />
        <Row $gap={8} style={{ justifyContent: 'flex-end' }}>
          <Button onPress={onClose}>Cancel</Button>
          <Button onPress={() => send(false)}>Decline</Button>
          <Button kind="strong" onPress={() => send(true)}>
            Grant
          </Button>
        </Row>
      </Stack>
    </Dialog>
  )
}
