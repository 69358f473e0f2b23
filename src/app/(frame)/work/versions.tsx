'use client'
import { useInfiniteQuery } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { VersionRow } from '@/service/work/work-versions'
import { api, queryOf, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Dialog } from '@/ui/parts/dialog'
import { Mute, Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Time } from '@/ui/parts/time'

const PAGE = 30

/** The versions of a job or flow, with what each changed; one brought back stands in the form, and is saved like any other change. */
export function VersionsButton({
  id,
  version,
  onBringBack,
}: {
  id: number
  /** The one that is in force. */
  version: number
  onBringBack: (definition: unknown, version: number) => void
}): ReactNode {
  const [isOpen, setOpen] = useState(false)
  return (
    <>
      <Button onPress={() => setOpen(true)}>Versions</Button>
      <Dialog title="Versions" isOpen={isOpen} onClose={() => setOpen(false)} width={640}>
        {isOpen && (
          <Versions
            id={id}
            version={version}
            onBringBack={(definition, of) => {
              setOpen(false)
              onBringBack(definition, of)
            }}
          />
        )}
      </Dialog>
    </>
  )
}

function Versions({ id, version, onBringBack }: Parameters<typeof VersionsButton>[0]): ReactNode {
  const { why } = useMay('design')
  const say = useSay()
  const query = useInfiniteQuery({
    queryKey: ['jobs', id, 'versions', version],
    queryFn: ({ pageParam }) => api.get<VersionRow[]>(`/jobs/${id}/versions${queryOf({ before: pageParam })}`),
    initialPageParam: undefined as number | undefined,
    getNextPageParam: (last) => (last.length < PAGE ? undefined : last.at(-1)?.version),
  })
  const bring = (of: number): void => {
    api.get<{ definition: unknown }>(`/jobs/${id}/versions/${of}`).then(
      ({ definition }) => onBringBack(definition, of),
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  return (
    <Stack $gap={12}>
      <Trouble error={query.error} />
      {query.data?.pages.flat().map((row) => (
        <section key={row.version} aria-label={`Version ${row.version}`}>
          <Row>
            <b>Version {row.version}</b>
            <Small>
              {row.savedBy === null ? 'saved before this was kept' : `saved by ${row.savedBy}`}
              {row.savedAt !== null && (
                <>
                  {' '}
                  <Time at={row.savedAt} />
                </>
              )}
            </Small>
            <Spring />
            {row.version === version ? (
              <Small>in force</Small>
            ) : (
              <Button kind="quiet" whyNot={why} onPress={() => bring(row.version)}>
                Bring it back
              </Button>
            )}
          </Row>
          {row.says === null ? (
            <Mute>{row.version === 1 ? 'The first one.' : 'The one before it is not kept any more.'}</Mute>
          ) : row.says.length === 0 ? (
            <Mute>Title, notes, area or switch only; it does the same.</Mute>
          ) : (
            <ul style={{ paddingLeft: 18, listStyle: 'square' }}>
              {row.says.map((sentence) => (
                <li key={sentence} style={{ overflowWrap: 'anywhere' }}>
                  {sentence}
                </li>
              ))}
            </ul>
          )}
        </section>
      ))}
      {query.hasNextPage && <Button onPress={() => void query.fetchNextPage()}>Older ones</Button>}
    </Stack>
  )
}
