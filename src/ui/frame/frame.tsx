'use client'
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useEffect, useState, type ReactNode } from 'react'
import { RouterProvider } from 'react-aria-components'
import styled from 'styled-components'
import { api, ApiProblem } from '../api'
import { goIn, type Came } from '../came-in'
import { LiveProvider } from '../hooks/live'
import { MeProvider, type Me } from '../hooks/me'
import { Announcer } from './announcer'
import { AwayBar } from './away-bar'
import { ConfirmIdentity } from './confirm-identity'
import { DayLine } from './day-line'
import { Finder } from './finder'
import { KeyHelp } from './key-help'
import { TopBar } from './top-bar'

const Whole = styled.div`
  height: 100vh;
  display: flex;
  flex-direction: column;
  @media print {
    height: auto;
  }
`
const Main = styled.main`
  flex: 1;
  min-height: 0;
  /* Whatever a screen lays outside of its own scrolling parts never moves the frame. */
  position: relative;
  overflow: clip;
  @media print {
    overflow: visible;
  }
  display: flex;
  flex-direction: column;
`
const Skip = styled.a`
  position: absolute;
  left: -999px;
  &:focus {
    left: 8px;
    top: 8px;
    z-index: 60;
    background: var(--sheet);
    padding: 4px 10px;
  }
`

/** Keys that go somewhere: g, then a letter. */
const GO: Record<string, string> = { w: '/watch', r: '/runs', o: '/work', t: '/timing', f: '/fleet', s: '/settings' }

function isTyping(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    target.closest('input, textarea, select, [contenteditable="true"], [role="dialog"]') !== null
  )
}

/** What is around every screen: top bar, day line, Find or do, announcements, keys. */
export function Frame({ me: given, children }: { me: Me; children: ReactNode }): ReactNode {
  const [client] = useState(
    () =>
      new QueryClient({
        defaultOptions: {
          queries: {
            staleTime: 2000,
            retry: (n, error) => n < 3 && error instanceof ApiProblem && error.status === 0,
            refetchOnWindowFocus: true,
          },
        },
      }),
  )
  const [me, setMe] = useState(given)
  const [finding, setFinding] = useState(false)
  const [helping, setHelping] = useState(false)
  const router = useRouter()

  useEffect(() => {
    document.documentElement.dataset.theme = me.theme
  }, [me.theme])

  useEffect(() => {
    let going = false
    const onKey = (event: KeyboardEvent): void => {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
        event.preventDefault()
        setFinding(true)
        return
      }
      if (event.ctrlKey || event.metaKey || event.altKey || isTyping(event.target)) return
      if (going && GO[event.key]) router.push(GO[event.key] as string)
      going = event.key === 'g'
      if (event.key === '?') setHelping(true)
      if (event.key === '/') {
        const filter = document.querySelector<HTMLElement>('[data-filter] input, input[data-filter]')
        if (filter) {
          event.preventDefault()
          filter.focus()
        }
      }
      if (event.key === 'Escape') {
        const back = document.querySelector<HTMLAnchorElement>('a[data-back]')
        if (back) back.click()
      }
    }
    window.addEventListener('keydown', onKey)
    return () => window.removeEventListener('keydown', onKey)
  }, [router])

  const onAction = async (action: string): Promise<void> => {
    if (action === 'settings') router.push('/settings')
    if (action === 'theme') {
      const theme = me.theme === 'dark' ? 'light' : 'dark'
      setMe({ ...me, theme })
      await api.patch('/me', { theme }).catch(() => setMe(me))
    }
    if (action.startsWith('go-to-')) {
      const id = Number(action.slice('go-to-'.length))
      goIn(await api.post<Came>('/api/sign-in/organisation', { id }), '/')
    }
    if (action === 'sign-out') {
      const gone = await api.post<{ elsewhere: string } | undefined>('/api/sign-out')
      window.location.assign(gone?.elsewhere ?? '/sign-in')
    }
  }
  return (
    <RouterProvider navigate={(href) => router.push(href)}>
      <QueryClientProvider client={client}>
        <MeProvider me={me}>
          <LiveProvider paceSeconds={me.paceSeconds}>
            <Announcer>
              <Whole>
                <Skip href="#main">To the screen itself</Skip>
                <TopBar onFind={() => setFinding(true)} onHelp={() => setHelping(true)} onAction={onAction} />
                <AwayBar />
                <DayLine />
                <Main id="main" tabIndex={-1}>
                  {children}
                </Main>
              </Whole>
              <ConfirmIdentity />
              <Finder isOpen={finding} onClose={() => setFinding(false)} />
              <KeyHelp isOpen={helping} onClose={() => setHelping(false)} />
            </Announcer>
          </LiveProvider>
        </MeProvider>
      </QueryClientProvider>
    </RouterProvider>
  )
}
