'use client'
import { useEffect, useState, type ReactNode } from 'react'
import styled from 'styled-components'
import { BrandMark } from '@/ui/frame/brand'

const Ground = styled.main`
  min-height: 100vh;
  background: var(--deck);
  display: grid;
  place-items: center;
  padding: 24px;
`
const Card = styled.div`
  width: 400px;
  background: var(--sheet);
  border-radius: 4px;
  padding: 22px 24px 24px;
  display: flex;
  flex-direction: column;
  gap: 14px;
  .brand {
    display: flex;
    align-items: center;
    gap: 10px;
    font:
      700 21px/26px 'Archivo Variable',
      sans-serif;
    font-stretch: 110%;
  }
`

/** In front of everything: signing in, taking up an invitation, a new password. */
export function Door({ children }: { readonly children: ReactNode }): ReactNode {
  return (
    <Ground>
      <Card>
        <h1 className="brand">
          <BrandMark size={28} />
          Bugle
        </h1>
        {children}
      </Card>
    </Ground>
  )
}

/** What a letter's link carries behind `#`; null until the page has looked. It leaves the address at once: what works once is in no history. */
export function useLetterToken(): string | null {
  const [token, setToken] = useState<string | null>(null)
  useEffect(() => {
    const found = window.location.hash.slice(1)
    setToken(found)
    if (found !== '') window.history.replaceState(null, '', window.location.pathname)
  }, [])
  return token
}
