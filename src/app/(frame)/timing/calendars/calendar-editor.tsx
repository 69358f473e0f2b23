'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useState, type ReactNode } from 'react'
import styled from 'styled-components'
import { type DayRule } from '@/core/calendar/rule'
import type { CalendarRow } from '@/service/timing/calendars'
import type { CalendarPreview } from '@/service/forecast/previews'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useAddress } from '@/ui/hooks/address'
import { useDraft } from '@/ui/hooks/draft'
import { useMay } from '@/ui/hooks/me'
import { Button, ButtonLink } from '@/ui/parts/button'
import { Confirm } from '@/ui/parts/dialog'
import { DraftNews } from '@/ui/parts/draft-news'
import { Select } from '@/ui/parts/select'
import { TextField } from '@/ui/parts/fields'
import { Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Reading } from '@/ui/parts/reading'
import { RuleActions, RuleEditor } from '../rule/rule-editor'
import { useRested } from '../use-preview'
import { AskDay } from './ask-day'
import { CalendarFiles } from './calendar-files'
import { Comparison } from './comparison'
import { Effect } from './effect'
import { contentOf, contentSchema, type Content } from './content'
import { HolidayNews } from './holiday-news'
import { Uses } from './uses'
import { useYear, type Calculator } from './use-calculator'
import { YearGrid } from './year-grid'

const Middle = styled.section`
  flex: 1;
  min-width: 0;
  position: relative;
  overflow: auto;
  padding: 12px 18px 24px;
  display: flex;
  flex-direction: column;
  gap: 12px;
`
const Side = styled.aside`
  width: 372px;
  flex: none;
  position: relative;
  overflow: auto;
  border-left: 1px solid var(--line);
  background: var(--sheet);
  padding: 12px 14px 24px;
  display: flex;
  flex-direction: column;
  gap: 16px;
  h2 {
    font-size: 13px;
  }
`
const NONE = 'none'
const YEAR = 'year'

/** One calendar: its year, its rule as sentences, and what hangs on it. */
export function CalendarEditor({
  calendar,
  initial,
  calendars,
  calculator,
  today,
}: {
  calendar: CalendarRow | null
  initial: Content
  calendars: readonly CalendarRow[]
  calculator: Calculator | null
  today: string
}): ReactNode {
  const { values, set: setAddress } = useAddress()
  const { why } = useMay('design')
  const router = useRouter()
  const client = useQueryClient()
  const say = useSay()
  const [removing, setRemoving] = useState(false)
  const draft = useDraft<Content>(contentSchema, initial, calendar?.version ?? 0, ({ title }) => {
    for (const key of ['calendars', 'triggers', 'coming']) void client.invalidateQueries({ queryKey: [key] })
    say(`${title} is saved.`)
  })
  const { content, set, become, isChanged } = draft
  const year = /^\d{4}$/.test(values.year ?? '') ? Number(values.year) : Number(today.slice(0, 4))
  const slug = calendar?.slug ?? NEW_SLUG
  const view = useYear(calculator, slug, content.rule, year)
  const others = calendars.filter((each) => each.slug !== slug)
  const isRuleChanged = calendar !== null && JSON.stringify(content.rule) !== JSON.stringify(calendar.rule)
  const effect = useEffectOf(calendar, isRuleChanged ? content.rule : null)

  const save = (version = draft.version): void =>
    draft.save(async (body) => {
      if (calendar)
        return (await api.put<{ version: number }>(`/calendars/${calendar.id}`, { ...body, version })).version
      const { id } = await api.post<{ id: number }>('/calendars', body)
      router.replace(`/timing/calendars/${id}`)
      return 1
    })
  const compared = values.with === YEAR ? YEAR : others.find((each) => each.slug === values.with)
  return (
    <>
      <Middle>
        <Row>
          <h1 style={{ overflow: 'hidden', textOverflow: 'ellipsis', whiteSpace: 'nowrap' }}>
            {content.title || (calendar ? 'Untitled' : 'New calendar')}
          </h1>
          {isChanged && <Small>not saved yet</Small>}
          <Spring />
          <Button
            aria-label={`The year ${year - 1}`}
            onPress={() => setAddress({ year: String(year - 1) }, 'replace')}
            isDisabled={year <= 1}
          >
            ‹
          </Button>
          <b aria-live="polite">{year}</b>
          <Button
            aria-label={`The year ${year + 1}`}
            onPress={() => setAddress({ year: String(year + 1) }, 'replace')}
            isDisabled={year >= 9999}
          >
            ›
          </Button>
          <Select
            label="Compare with"
            hideLabel
            value={compared === undefined ? NONE : compared === YEAR ? YEAR : compared.slug}
            onChange={(id) => setAddress({ with: id === NONE ? null : id })}
            choices={[
              { id: NONE, title: 'compare with …' },
              { id: YEAR, title: 'the year before' },
              ...others.map((each) => ({ id: each.slug, title: each.title })),
            ]}
            width="150px"
          />
          <Button kind="strong" onPress={() => save()} isDisabled={!isChanged && calendar !== null} whyNot={why}>
            Save
          </Button>
        </Row>
        <DraftNews draft={draft} what="calendar" contentOf={contentOf} onSave={save} />
        {calendar && <HolidayNews calendar={calendar} isChanged={isChanged} />}
        {view.error && <Trouble error={{ title: 'The rule cannot be worked out', detail: view.error.message }} />}
        {compared === undefined ? (
          <YearGrid
            view={view.data}
            today={today}
            chosen={values.day}
            onChoose={(day) => setAddress({ day }, 'replace')}
            nextDay={isRuleChanged ? null : (calendar?.nextDay ?? null)}
          />
        ) : (
          <Comparison
            calculator={calculator}
            title={content.title}
            mine={view.data}
            other={
              compared === YEAR
                ? { slug, rule: content.rule, title: content.title, year: year - 1 }
                : { ...compared, year }
            }
            isYears={compared === YEAR}
          />
        )}
      </Middle>
      <Side aria-label="The rule">
        <Reading isOn={why !== undefined}>
          <Stack $gap={10}>
            {calendar === null && (
              <TextField
                label="Title"
                value={content.title}
                onChange={(title) => set({ title })}
                error={draft.faultOf('title')}
                autoFocus
              />
            )}
            <h2>Which days</h2>
            <RuleEditor
              rule={content.rule}
              onChange={(rule) => set({ rule })}
              calendars={others}
              {...(view.data ? { counts: view.data.counts } : {})}
            />
            <RuleActions rule={content.rule} calendars={others} onChange={(rule) => set({ rule })} />
          </Stack>
        </Reading>
        <AskDay
          calculator={calculator}
          slug={slug}
          rule={content.rule}
          day={values.day}
          onDay={(day) => setAddress({ day, ...(day ? { year: day.slice(0, 4) } : {}) }, 'replace')}
        />
        {calendar && <Uses calendar={calendar} />}
        <Reading isOn={why !== undefined}>
          <Stack>
            {calendar !== null && (
              <TextField
                label="Title"
                value={content.title}
                onChange={(title) => set({ title })}
                error={draft.faultOf('title')}
              />
            )}
            <TextField
              label="Notes"
              rows={2}
              value={content.notes}
              onChange={(notes) => set({ notes })}
              error={draft.faultOf('notes')}
            />
          </Stack>
        </Reading>
        {calendar && <CalendarFiles calendar={calendar} year={year} />}
        {calendar && (
          <Row>
            <Small>
              version {draft.version}, saved by {calendar.savedBy}; “{calendar.slug}” in files
            </Small>
            <Spring />
            <Button kind="danger" onPress={() => setRemoving(true)} whyNot={why}>
              Remove
            </Button>
          </Row>
        )}
        {!calendar && (
          <Row>
            <Spring />
            <ButtonLink href="/timing/calendars">Leave it</ButtonLink>
          </Row>
        )}
        {effect && <Effect preview={effect} />}
      </Side>
      <Confirm
        title={`Remove ${content.title}?`}
        isOpen={removing}
        onClose={() => setRemoving(false)}
        word="Remove it"
        onConfirm={() => {
          if (!calendar) return
          api.delete(`/calendars/${calendar.id}`).then(
            () => {
              become(content, draft.version)
              void client.invalidateQueries({ queryKey: ['calendars'] })
              router.push('/timing/calendars')
            },
            (error: ApiProblem) => say(error.detail, { bad: true }),
          )
        }}
      >
        Nothing uses it, or this is refused. What it was stays in the audit.
      </Confirm>
    </>
  )
}
/** No calendar can be called so: ids are lower case. */
const NEW_SLUG = 'NEW'

/** What a changed rule would do to triggers; asked when it has rested. */
function useEffectOf(calendar: CalendarRow | null, rule: DayRule | null): CalendarPreview | undefined {
  const rested = useRested(rule === null ? null : JSON.stringify(rule), 250)
  const { data } = useQuery({
    queryKey: ['preview', 'calendar', calendar?.id, rested],
    queryFn: () =>
      api.post<CalendarPreview>('/calendars/preview', {
        id: calendar?.id,
        rule: JSON.parse(rested as string) as unknown,
      }),
    enabled: rested !== null && calendar !== null,
    placeholderData: (before) => before,
    retry: false,
  })
  return rule === null ? undefined : data
}
