'use client'
import { useQuery } from '@tanstack/react-query'
import dynamic from 'next/dynamic'
import { useEffect, useState, type ReactNode } from 'react'
import type { Startable } from '@/service/runs/start'
import { api } from '@/ui/api'
import { useAskedFor } from '@/ui/hooks/asked-for'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Dialog } from '@/ui/parts/dialog'
import { Trouble } from '@/ui/parts/layout'
import type { AgainOf } from './start-form'

// Only whoever starts something needs its form.
const StartForm = dynamic(() => import('./start-form').then((module) => module.StartForm), { ssr: false })

interface Props {
  readonly jobId: number
  readonly isOpen: boolean
  readonly onClose: () => void
  readonly againOf?: AgainOf
}

/** Inputs asked, now or at a time, where, confirmed, and straight to the run. */
export function StartDialog({ jobId, isOpen, onClose, againOf }: Props): ReactNode {
  const { data: job, error } = useQuery({
    queryKey: ['jobs', jobId, 'start'],
    queryFn: () => api.get<Startable>(`/startables/${jobId}`),
    enabled: isOpen,
  })
  return (
    <Dialog
      title={againOf ? `Run #${againOf.id} again` : job ? `Start ${job.title}` : 'Start'}
      isOpen={isOpen}
      onClose={onClose}
    >
      <Trouble error={error} />
      {job && <StartForm key={`${job.id} ${job.version}`} job={job} onClose={onClose} againOf={againOf} />}
    </Dialog>
  )
}

/** Opens the dialog from a button. */
export function StartButton({
  jobId,
  title,
  active,
  kind = 'plain',
  what = 'job',
}: {
  jobId: number
  title: string
  active: boolean
  what?: 'job' | 'flow'
  kind?: 'plain' | 'quiet'
}): ReactNode {
  const [open, setOpen] = useState(false)
  const { why } = useMay('operate')
  useAskedFor('start', () => active && why === undefined && setOpen(true))
  useEffect(() => {
    if (!active) setOpen(false)
  }, [active])
  return (
    <>
      <Button
        kind={kind}
        onPress={() => setOpen(true)}
        aria-label={`Start ${title}`}
        whyNot={why ?? (active ? undefined : `This ${what} is switched off.`)}
      >
        Start
      </Button>
      <StartDialog jobId={jobId} isOpen={open} onClose={() => setOpen(false)} />
    </>
  )
}
