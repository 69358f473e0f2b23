import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import type { ReportRow } from '@/service/reports/reports'
import { api } from '@/ui/api'
import { Small } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import type { KindProps } from './parts'

export function ReportFields({ action, set, fault }: KindProps<'report'>): ReactNode {
  const { data: reports = [] } = useQuery({ queryKey: ['reports'], queryFn: () => api.get<ReportRow[]>('/reports') })
  const choices = reports.map(({ slug, title }) => ({ id: slug, title }))
  // One that this person may not read is named all the same.
  const isKnown = action.report === '' || choices.some(({ id }) => id === action.report)
  return (
    <>
      <Select
        label="which report"
        value={action.report === '' ? null : action.report}
        placeholder="Choose a report"
        onChange={(report: string) => set({ report })}
        choices={isKnown ? choices : [...choices, { id: action.report, title: action.report }]}
        error={fault('report')}
        width="320px"
      />
      <Small>
        The server makes it with its owner’s rights; the job waits until it is made and mailed to whom it names. It
        takes a slot of its agent meanwhile, and does next to nothing there.
      </Small>
    </>
  )
}
