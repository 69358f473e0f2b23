import { redirect } from 'next/navigation'
import type { ReactNode } from 'react'
import { noteOutage } from '@/app/server/outage'
import { whereToOpen } from '@/app/server/signed-in'
import { Away } from '@/ui/frame/failed-page'

export const dynamic = 'force-dynamic'

/** Opens where the person chose. */
export default async function Start(): Promise<ReactNode> {
  const path = await whereToOpen().catch((error: unknown) => {
    if (noteOutage(error)) return null
    throw error
  })
  if (path === null) return <Away />
  redirect(path)
}
