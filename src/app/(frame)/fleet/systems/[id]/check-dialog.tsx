'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent, type ReactNode } from 'react'
import type { SystemPage } from '@/service/work/system-pages'
import type { AreaRow } from '@/service/work/areas'
import { mayDesign } from '@/app/shared/work/designable'
import { api } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useTrouble } from '@/ui/hooks/saving'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Row, Small, Stack, Trouble } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'

type By = 'tcp' | 'http' | 'ping'

/** Makes a reach check of a system, and looks at once. */
export function CheckDialog({ system, onClose }: { system: SystemPage; onClose: () => void }): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const { data: areas = [] } = useQuery({ queryKey: ['areas'], queryFn: () => api.get<AreaRow[]>('/areas') })
  const [by, setBy] = useState<By>(system.kind === 'application' ? 'http' : system.port === null ? 'ping' : 'tcp')
  const [path, setPath] = useState('/')
  const [areaId, setAreaId] = useState('')
  const [isRegular, setRegular] = useState(true)
  const [minutes, setMinutes] = useState('10')
  const { trouble, setTrouble, faultOf } = useTrouble()
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    const everyMinutes = !isRegular ? null : /^\d+$/.test(minutes) ? Number(minutes) : minutes
    api
      .post<{ jobId: number }>(`/systems/${system.id}/checks`, {
        areaId: Number(areaId),
        by,
        ...(by === 'http' ? { path } : {}),
        everyMinutes,
      })
      .then(async ({ jobId }) => {
        await api.post('/runs', { jobId })
        for (const key of ['systems', 'jobs', 'triggers']) void client.invalidateQueries({ queryKey: [key] })
        say(`Looking whether ${system.title} answers${isRegular ? `, from now on every ${minutes} minutes` : ''}.`)
        onClose()
      })
      .catch(setTrouble)
  }
  return (
    <Dialog title={`Look whether ${system.title} answers`} isOpen onClose={onClose} width={480}>
      <form onSubmit={submit}>
        <Stack $gap={12}>
          <Trouble error={trouble?.errors.length === 0 ? trouble : null} />
          <Row $top $gap={12}>
            <Select
              label="By"
              value={by}
              onChange={setBy}
              choices={[
                { id: 'tcp', title: 'its port takes a connection' },
                { id: 'http', title: 'HTTP answers' },
                { id: 'ping', title: 'ICMP echo' },
              ]}
              error={faultOf('by')}
              width="220px"
            />
            {by === 'http' && (
              <TextField label="Path" value={path} onChange={setPath} error={faultOf('path')} mono width="190px" />
            )}
          </Row>
          <Select
            label="The check lies in the area"
            value={areaId}
            onChange={setAreaId}
            choices={areas.filter(mayDesign).map(({ id, path: title }) => ({ id: String(id), title }))}
            error={faultOf('areaId')}
            width="220px"
          />
          <Row $top $gap={10}>
            <div style={{ paddingTop: 22 }}>
              <Checkbox isSelected={isRegular} onChange={setRegular}>
                and from now on every
              </Checkbox>
            </div>
            <TextField
              label="minutes"
              value={minutes}
              onChange={setMinutes}
              error={faultOf('everyMinutes')}
              isDisabled={!isRegular}
              width="80px"
            />
          </Row>
          <Small>
            The check is a job like any other, carried out by agents of {system.pool ?? 'the system’s pool'}. When it
            fails, that is a matter for a person.
          </Small>
          <DialogButtons onClose={onClose}>Look now</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
