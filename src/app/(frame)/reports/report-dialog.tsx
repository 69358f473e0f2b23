'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent, type ReactNode } from 'react'
import type { ReportContent } from '@/core/reports/definition'
import { contentOf, REPORT_KINDS, type ReportKind } from '@/core/reports/kinds'
import type { ofView } from '@/core/reports/of-view'
import type { PeriodSpec } from '@/core/reports/period'
import type { PersonRow } from '@/service/people/people'
import type { ReportRow } from '@/service/reports/reports'
import type { AreaRow } from '@/service/work/areas'
import { api } from '@/ui/api'
import { useMay, useMe } from '@/ui/hooks/me'
import { useTrouble } from '@/ui/hooks/saving'
import { DateField } from '@/ui/parts/date-field'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Row, Small, Stack, Trouble } from '@/ui/parts/layout'
import { ListField } from '@/ui/parts/list-field'
import { NumberField } from '@/ui/parts/number-field'
import { Select } from '@/ui/parts/select'
import { Chosen } from './chosen'
import { WhichRuns } from './which-runs'
import { idOfPeriod, PERIODS } from './words'

const ROLES = ['administrator', 'designer', 'operator', 'viewer'] as const
/** Kinds that are about runs can be narrowed to some of them. */
const OF_RUNS: readonly ReportKind[] = ['runs', 'failures', 'deadlines', 'load', 'worth']

function fresh(zone: string): ReportContent {
  return {
    title: '',
    notes: '',
    kind: 'runs',
    period: { last: 'month' },
    zone,
    filter: {},
    options: { details: false, currency: 'GBP', paper: 'A4' },
    readers: { people: [], roles: [], areas: [] },
    mail: [],
    keepDays: 400,
  }
}

/** Makes a report, or changes one. */
export function ReportDialog({
  report,
  from,
  onClose,
  onDone,
}: {
  /** null: a new one. */
  report: ReportRow | null
  /** Of a new one: what it takes of a list of runs, and what it does not. */
  from?: ReturnType<typeof ofView>
  onClose: () => void
  onDone: (id: number) => void
}): ReactNode {
  const { zone } = useMe()
  const { why: whyNotShare } = useMay('operate')
  const client = useQueryClient()
  const [content, setContent] = useState<ReportContent>(() =>
    report ? contentOf(report) : { ...fresh(zone), filter: from?.filter ?? {} },
  )
  const { trouble, setTrouble, faultOf, faultWithin } = useTrouble()
  const { data: areas = [] } = useQuery({ queryKey: ['areas'], queryFn: () => api.get<AreaRow[]>('/areas') })
  const { data: people = [] } = useQuery({ queryKey: ['people'], queryFn: () => api.get<PersonRow[]>('/people') })
  const set = (change: Partial<ReportContent>): void => setContent((before) => ({ ...before, ...change }))
  const { filter, options, readers, period, kind } = content
  const places = areas.map(({ id, path }) => ({ id, title: path }))
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    const saved = report
      ? api.put(`/reports/${report.id}`, { ...content, version: report.version }).then(() => report.id)
      : api.post<{ id: number }>('/reports', content).then(({ id }) => id)
    saved.then((id) => {
      void client.invalidateQueries({ queryKey: ['reports'] })
      onDone(id)
    }, setTrouble)
  }
  return (
    <Dialog title={report ? `Change ${report.title}` : 'New report'} isOpen onClose={onClose} width={580}>
      <form onSubmit={submit}>
        <Stack $gap={12}>
          <Trouble error={trouble?.errors.length === 0 ? trouble : null} />
          <Row $top $gap={12}>
            <TextField
              label="Title"
              value={content.title}
              onChange={(title) => set({ title })}
              error={faultOf('title')}
              autoFocus
              width="250px"
            />
            <Select
              label="Shows"
              value={kind}
              onChange={(chosen: ReportKind) => set({ kind: chosen })}
              choices={Object.entries(REPORT_KINDS).map(([id, { title }]) => ({ id: id as ReportKind, title }))}
              width="250px"
            />
          </Row>
          <Small>{REPORT_KINDS[kind].says}</Small>
          <Row $top $gap={12}>
            <PeriodFields period={period} onChange={(next) => set({ period: next })} faultOf={faultWithin} />
            <TextField
              label="Time zone"
              value={content.zone}
              onChange={(next) => set({ zone: next })}
              error={faultOf('zone')}
              width="180px"
            />
          </Row>
          {(OF_RUNS.includes(kind) || kind === 'queues') && (
            <WhichRuns
              filter={filter}
              areas={areas}
              isOfRuns={OF_RUNS.includes(kind)}
              onChange={(next) => set({ filter: next })}
              faultWithin={faultWithin}
            />
          )}
          {from && from.left.length > 0 && (
            <Small>
              Of the list it takes whose runs they are; it looks at all of them whatever their {from.left.join(', ')}.
            </Small>
          )}
          <Row $top $gap={12}>
            {kind === 'runs' && (
              <Checkbox isSelected={options.details} onChange={(details) => set({ options: { ...options, details } })}>
                list every run
              </Checkbox>
            )}
            {kind === 'worth' && (
              <TextField
                label="Currency (ISO 4217)"
                value={options.currency}
                onChange={(currency) => set({ options: { ...options, currency: currency.toUpperCase() } })}
                error={faultOf('options.currency')}
                width="130px"
              />
            )}
            <Select
              label="Paper"
              value={options.paper}
              onChange={(paper: 'A4' | 'LETTER') => set({ options: { ...options, paper } })}
              choices={[
                { id: 'A4', title: 'A4' },
                { id: 'LETTER', title: 'Letter' },
              ]}
              width="110px"
            />
            <NumberField
              label="Days that results are kept"
              isLabelled
              value={content.keepDays}
              onChange={(keepDays) => set({ keepDays })}
              error={faultOf('keepDays')}
              width="170px"
            />
          </Row>
          <h3>Who reads it beside you</h3>
          {whyNotShare && <Small>{whyNotShare}</Small>}
          <Row $top $gap={12}>
            <Chosen
              label="People"
              none="nobody by name"
              ids={readers.people}
              choices={people.map(({ id, name }) => ({ id, title: name }))}
              onChange={(ids) => set({ readers: { ...readers, people: ids } })}
              error={faultWithin('readers.people')}
            />
            <Chosen
              label="Who may see an area"
              none="no area’s people"
              ids={readers.areas}
              choices={places}
              onChange={(ids) => set({ readers: { ...readers, areas: ids } })}
              error={faultWithin('readers.areas')}
            />
          </Row>
          <Row $gap={14} $wrap role="group" aria-label="Roles that read it">
            {ROLES.map((role) => (
              <Checkbox
                key={role}
                isSelected={readers.roles.includes(role)}
                onChange={(on) =>
                  set({
                    readers: {
                      ...readers,
                      roles: on ? [...readers.roles, role] : readers.roles.filter((one) => one !== role),
                    },
                  })
                }
              >
                {role}s
              </Checkbox>
            ))}
          </Row>
          <ListField
            label="Mailed as a PDF to"
            value={content.mail}
            onChange={(mail) => set({ mail })}
            error={faultWithin('mail')}
            placeholder="office@marram.example"
          />
          <Small>
            {report && !report.isMine
              ? 'Saved by you, it is yours, and made with your rights.'
              : 'It is made with your rights: what you may not see is not in it.'}
          </Small>
          <DialogButtons onClose={onClose}>{report ? 'Save' : 'Keep it'}</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}

function PeriodFields({
  period,
  onChange,
  faultOf,
}: {
  period: PeriodSpec
  onChange: (period: PeriodSpec) => void
  faultOf: (path: string) => string | undefined
}): ReactNode {
  const choose = (id: string): void => {
    const [what, unit] = id.split(' ')
    if (what === 'days') onChange({ days: 30 })
    else if (what === 'between') {
      const today = new Date().toISOString().slice(0, 10)
      onChange({ from: `${today.slice(0, 8)}01`, to: today })
    } else onChange({ [what as string]: unit } as PeriodSpec)
  }
  return (
    <>
      <Select label="Period" value={idOfPeriod(period)} onChange={choose} choices={PERIODS} width="190px" />
      {'days' in period && (
        <NumberField
          label="Days"
          isLabelled
          value={period.days}
          onChange={(days) => onChange({ days })}
          error={faultOf('period')}
          width="80px"
        />
      )}
      {'from' in period && (
        <>
          <DateField label="From" value={period.from} onChange={(from) => onChange({ ...period, from })} />
          <DateField
            label="To"
            value={period.to}
            onChange={(to) => onChange({ ...period, to })}
            error={faultOf('period')}
          />
        </>
      )}
    </>
  )
}
