'use client'
import dynamic from 'next/dynamic'
import type { ReactNode } from 'react'
import type { AttemptRow, RunFull } from '@/service/runs/run-page'
import { useAddress } from '@/ui/hooks/address'
import { Mute } from '@/ui/parts/layout'
import { Tabs } from '@/ui/parts/tabs'
import { useRunNotices } from '@/app/shared/runs/sent-notices'
import { Output } from './output'
import { InputList, Tries, WhatRan } from './what-ran'

const Earlier = dynamic(() => import('./earlier').then((module) => module.Earlier), { ssr: false })

/** All about one run of a job: what it wrote, what exactly ran, with which inputs, its tries, and how it went before. */
export function RunTabs({ run, attempt }: { run: RunFull; attempt: AttemptRow | undefined }): ReactNode {
  const { values, set } = useAddress()
  const notices = useRunNotices(run.flow?.id ?? run.id)
  return (
    <Tabs
      label="About this run"
      selected={values.tab ?? 'output'}
      onSelect={(tab) => set({ tab: tab === 'output' ? null : tab }, 'replace')}
      tabs={[
        {
          id: 'output',
          title: 'Output',
          content: attempt ? <Output key={attempt.id} run={run} attempt={attempt} /> : <NotYet />,
        },
        { id: 'ran', title: 'What ran', content: attempt ? <WhatRan run={run} attempt={attempt} /> : <NotYet /> },
        { id: 'inputs', title: `Inputs ${run.definition.inputs.length || ''}`, content: <InputList run={run} /> },
        { id: 'tries', title: `Tries ${run.tries.length || ''}`, content: <Tries run={run} /> },
        { id: 'earlier', title: 'Earlier runs', content: <Earlier run={run} /> },
        { id: 'notices', title: `Notices ${notices.count || ''}`, content: notices.content },
      ]}
    />
  )
}

function NotYet(): ReactNode {
  return <Mute style={{ padding: 16 }}>It has not started yet. What it writes appears here as it comes.</Mute>
}
