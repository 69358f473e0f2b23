'use client'
import { useQuery } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { WhoMay } from '@/service/work/who-may'
import { api } from '@/ui/api'
import { Button } from '@/ui/parts/button'
import { Dialog } from '@/ui/parts/dialog'
import { Small, Stack, Trouble } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'

/**
 * Opens who may what here, and where each right comes from.
 *
 * @param path of the thing: `/areas/3`, `/jobs/7`
 */
export function WhoMayButton({ path, title }: { readonly path: string; readonly title: string }): ReactNode {
  const [isOpen, setOpen] = useState(false)
  return (
    <>
      <Button onPress={() => setOpen(true)}>Who may …?</Button>
      <Dialog title={`Who may what on ${title}`} isOpen={isOpen} onClose={() => setOpen(false)} width={620}>
        <WhoMayList path={path} />
      </Dialog>
    </>
  )
}

function WhoMayList({ path }: { readonly path: string }): ReactNode {
  const { data, error } = useQuery({ queryKey: ['who', path], queryFn: () => api.get<WhoMay>(`${path}/who`) })
  if (error) return <Trouble error={error} />
  return (
    <Stack $gap={8}>
      <Small>
        Everybody who may something in {data?.area ?? '…'}, and where it comes from. Each level holds those below it:
        see, operate, design, manage.
      </Small>
      <div style={{ maxHeight: 420, display: 'flex', flexDirection: 'column' }}>
        <Table
          label="Who may what"
          rows={data?.people ?? []}
          columns={[
            { id: 'name', title: 'Who', cell: (person) => <b>{person.name}</b> },
            { id: 'may', title: 'May', cell: (person) => person.may },
            { id: 'from', title: 'From', cell: (person) => person.from.join(' · ') },
          ]}
        />
      </div>
    </Stack>
  )
}
