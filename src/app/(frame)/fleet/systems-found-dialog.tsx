'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent, type ReactNode } from 'react'
import type { SystemFound } from '@/core/work/systems-found'
import { api } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useTrouble } from '@/ui/hooks/saving'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Mono, Row, Small, Stack, Trouble } from '@/ui/parts/layout'
import { withOrWithout } from '@/ui/sets'

const NAMED = 4

/** What jobs reach, gathered by address, each of which can become a system. What the jobs do stays as it is. */
export function SystemsFoundDialog({ onClose }: { onClose: () => void }): ReactNode {
  const { data: found, error } = useQuery({
    queryKey: ['systems-of-jobs'],
    queryFn: () => api.get<SystemFound[]>('/systems/of-jobs'),
    // What is ticked and renamed here belongs to what was found.
    staleTime: Infinity,
    gcTime: 0,
  })
  return (
    <Dialog title="Make systems of what jobs reach" isOpen onClose={onClose} width={680}>
      <Trouble error={error} />
      {found?.length === 0 && (
        <p>Every job that goes somewhere names a system already, or its address hangs on an input.</p>
      )}
      {found && found.length > 0 && <Found found={found} onClose={onClose} />}
    </Dialog>
  )
}

function Found({ found, onClose }: { found: readonly SystemFound[]; onClose: () => void }): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set(found.map(({ name }) => name)))
  const [titles, setTitles] = useState<Readonly<Record<string, string>>>({})
  const { trouble, setTrouble, faultOf } = useTrouble()
  const ticked = found.filter(({ name }) => chosen.has(name))
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    const systems = ticked.map(({ jobs, ...system }) => ({
      ...system,
      title: titles[system.name] ?? system.title,
      jobs: jobs.map(({ id }) => id),
    }))
    api.post<{ systems: number; jobs: number }>('/systems/of-jobs', { systems }).then(({ systems: made, jobs }) => {
      for (const key of ['systems', 'system-choices', 'jobs']) void client.invalidateQueries({ queryKey: [key] })
      say(`${count(made, 'system')} made; ${count(jobs, 'job')} ${jobs === 1 ? 'is' : 'are'} done on them.`)
      onClose()
    }, setTrouble)
  }
  return (
    <form onSubmit={submit}>
      <Stack $gap={10}>
        <Small>
          What a job does stays as it is: where all jobs of an address have the same account or pool, the system has it
          from now on.
        </Small>
        <Trouble error={trouble?.errors.some(({ path }) => /\.title$/.test(path)) ? null : trouble} />
        <Stack $gap={8} style={{ maxHeight: 380, overflow: 'auto' }}>
          {found.map((system) => {
            const { name, kind, host, port, account, pool, jobs } = system
            const place = ticked.indexOf(system)
            return (
              <div key={name}>
                <Row $top $gap={10}>
                  <div style={{ paddingTop: 22 }}>
                    <Checkbox
                      isSelected={chosen.has(name)}
                      onChange={(isOn) => setChosen((before) => withOrWithout(before, name, isOn))}
                    >
                      <span className="visually-hidden">Make {titles[name] ?? system.title}</span>
                    </Checkbox>
                  </div>
                  <TextField
                    label={kind}
                    value={titles[name] ?? system.title}
                    onChange={(title) => setTitles((before) => ({ ...before, [name]: title }))}
                    error={place < 0 ? undefined : faultOf(`systems[${place}].title`)}
                    width="250px"
                  />
                  <Small style={{ paddingTop: 22, flex: 1, minWidth: 0 }}>
                    <Mono>
                      {host}:{port}
                    </Mono>
                    {account !== null && ` as ${account}`}
                    {pool !== null && ` from ${pool}`}
                    <br />
                    {jobs
                      .slice(0, NAMED)
                      .map(({ title }) => title)
                      .join(', ')}
                    {jobs.length > NAMED && ` and ${jobs.length - NAMED} more`}
                  </Small>
                </Row>
              </div>
            )
          })}
        </Stack>
        <DialogButtons onClose={onClose}>{`Make ${count(ticked.length, 'system')}`}</DialogButtons>
      </Stack>
    </form>
  )
}
