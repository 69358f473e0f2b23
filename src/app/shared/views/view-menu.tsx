'use client'
import { useQueryClient } from '@tanstack/react-query'
import { ChevronDown } from 'lucide-react'
import dynamic from 'next/dynamic'
import { useRouter } from 'next/navigation'
import { useState, type ReactNode } from 'react'
import { heldIn } from '@/core/views/view'
import type { ViewRow } from '@/service/views/views'
import { api, queryOf, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { Button } from '@/ui/parts/button'
import { Confirm } from '@/ui/parts/dialog'
import { Small } from '@/ui/parts/layout'
import { MenuButton } from '@/ui/parts/menu-button'
import type { MenuChoice } from '@/ui/parts/menu'
import type { Viewed } from './use-viewed'

const ViewDialog = dynamic(() => import('./view-dialog').then((module) => module.ViewDialog), { ssr: false })

/** Which view of the list is open, and all that can be done with views. What was changed in passing is marked, and kept only when somebody says so. */
export function ViewMenu({ viewed }: { viewed: Viewed }): ReactNode {
  const { list, of, view, views, values, isChanged, first, open } = viewed
  const client = useQueryClient()
  const router = useRouter()
  const say = useSay()
  const [asking, setAsking] = useState<'new' | 'change' | 'remove' | null>(null)
  const fail = (error: ApiProblem): void => say(error.detail, { bad: true })
  const fetchAgain = (): Promise<void> => client.invalidateQueries({ queryKey: ['views', list, of] })
  const save = ({ id, title, shared, areaId, version }: ViewRow): void => {
    const body = { list, of, title, shared, areaId, version, values: heldIn(list, values) }
    api.put(`/views/${id}`, body).then(async () => {
      await fetchAgain()
      open(id)
      say(`${title} is kept as it is shown now.`)
    }, fail)
  }
  const openFirst = (viewId: number | null): void => {
    api.put('/views/first', { list, of, viewId }).then(async () => {
      await fetchAgain()
      say(viewId === null ? 'It opens first no more.' : 'It opens first from now on, for you.')
    }, fail)
  }
  const remove = ({ id, title }: ViewRow): void => {
    api.delete(`/views/${id}`).then(async () => {
      open(null)
      await fetchAgain()
      say(`${title} is removed.`)
    }, fail)
  }
  const items: MenuChoice[] = [
    ...(view ? [{ id: 'all', title: 'The list as it is' }] : []),
    ...views
      .filter(({ id }) => id !== view?.id)
      .map((each) => ({
        id: `open ${each.id}`,
        title: (
          <>
            {each.title}{' '}
            <Small>
              {[each.isMine ? '' : `by ${each.madeBy}`, each.id === first ? 'opens first' : '']
                .filter(Boolean)
                .join(', ')}
            </Small>
          </>
        ),
      })),
    ...(list === 'runs' ? [{ id: 'report', title: 'Make a report of these …' }] : []),
    { id: 'new', title: view ? 'Keep as a new view …' : 'Keep this as a view …' },
    ...(view ? [{ id: 'first', title: view.id === first ? 'Open it first no more' : 'Open it first, for me' }] : []),
    ...(view?.mayChange
      ? [
          { id: 'change', title: 'Name and sharing …' },
          { id: 'remove', title: 'Remove it …' },
        ]
      : []),
  ]
  const onAction = (id: string): void => {
    if (id === 'all') open(null)
    else if (id === 'report') {
      const runs = view && !isChanged ? { view: String(view.id) } : heldIn(list, values)
      router.push(`/reports${queryOf({ new: '1', runs: new URLSearchParams(runs).toString() })}`)
    } else if (id.startsWith('open ')) open(Number(id.slice(5)))
    else if (id === 'first' && view) openFirst(view.id === first ? null : view.id)
    else if (id === 'new' || id === 'change' || id === 'remove') setAsking(id)
  }
  return (
    <>
      <MenuButton
        face={(before) => (
          <Button {...before} kind={view ? 'plain' : 'quiet'} aria-label={view ? `View: ${view.title}` : 'Views'}>
            {view ? <b>{view.title}</b> : 'Views'} <ChevronDown size={14} aria-hidden="true" />
          </Button>
        )}
        items={items}
        onAction={onAction}
      />
      {view && isChanged && (
        <>
          <Small>changed</Small>
          {view.mayChange && <Button onPress={() => save(view)}>Save</Button>}
          <Button onPress={() => setAsking('new')}>Save as new</Button>
          <Button kind="quiet" onPress={() => open(view.id)}>
            Back to it
          </Button>
        </>
      )}
      {(asking === 'new' || (asking === 'change' && view)) && (
        <ViewDialog
          viewed={viewed}
          view={asking === 'change' ? view : null}
          onClose={() => setAsking(null)}
          onDone={async (id) => {
            setAsking(null)
            await fetchAgain()
            open(id)
          }}
        />
      )}
      {view && (
        <Confirm
          title={`Remove ${view.title}?`}
          word="Remove it"
          isOpen={asking === 'remove'}
          onClose={() => setAsking(null)}
          onConfirm={() => remove(view)}
        >
          {view.shared === 'me'
            ? 'Only you see it. The list itself stays as it is.'
            : 'It goes for all who see it. The list itself stays as it is.'}
        </Confirm>
      )}
    </>
  )
}
