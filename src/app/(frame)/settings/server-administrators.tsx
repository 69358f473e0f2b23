'use client'
import { useQuery } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { PersonRow } from '@/service/people/people'
import type { ServerAdministratorRow } from '@/service/people/server-administrators'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useSaving } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Row, Small, Spring } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import { Table } from '@/ui/parts/table'

/** Who looks after the server: administrators of one organisation, most often. */
export function ServerAdministrators(): ReactNode {
  const { data = [] } = useQuery({
    queryKey: ['server-administrators'],
    queryFn: () => api.get<ServerAdministratorRow[]>('/server/administrators'),
  })
  const { data: people = [] } = useQuery({ queryKey: ['people'], queryFn: () => api.get<PersonRow[]>('/people') })
  const [chosen, setChosen] = useState('')
  const { save } = useSaving()
  const say = useSay()
  const told = (sent: Promise<unknown>): Promise<unknown> =>
    sent.catch((error: ApiProblem) => {
      say(error.detail, { bad: true })
      throw error
    })
  const isThere = new Set(data.filter(({ name }) => name !== null).map(({ personId }) => personId))
  const choices = people
    .filter(({ id, role, active }) => active && role === 'administrator' && !isThere.has(id))
    .map(({ id, name }) => ({ id: String(id), title: name }))
  return (
    <>
      <Row style={{ padding: '14px 12px 8px' }}>
        <h2>Who looks after the server</h2>
        <Spring />
        {choices.length > 0 && (
          <>
            <Select
              label="An administrator of yours"
              hideLabel
              value={chosen}
              onChange={setChosen}
              choices={choices}
              width="220px"
            />
            <Button
              isDisabled={chosen === ''}
              onPress={() => {
                save(
                  told(api.post('/server/administrators', { personId: Number(chosen) })),
                  'Added.',
                  'server-administrators',
                  'server-audit',
                )
                setChosen('')
              }}
            >
              Add
            </Button>
          </>
        )}
      </Row>
      <Table
        label="Who looks after the server"
        rows={data.map((row) => ({ ...row, id: `${row.organisationId} ${row.personId}` }))}
        columns={[
          { id: 'name', title: 'Who', cell: (row) => (row.name ? <b>{row.name}</b> : <Small>somebody there</Small>) },
          { id: 'organisation', title: 'Of', cell: (row) => row.organisation },
          {
            id: 'acts',
            title: '',
            align: 'right',
            cell: (row) => (
              <Button
                kind="quiet"
                isDisabled={data.length === 1}
                onPress={() =>
                  save(
                    told(api.delete(`/server/administrators/${row.organisationId}/${row.personId}`)),
                    'Taken off the list.',
                    'server-administrators',
                    'server-audit',
                  )
                }
              >
                Take off
              </Button>
            ),
          },
        ]}
      />
    </>
  )
}
