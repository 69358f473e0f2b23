import { redirect } from 'next/navigation'
import type { ReactNode } from 'react'
import { addressOfView } from '@/core/views/view'
import { NotFound } from '@/ui/frame/not-found'
import { asSignedIn } from '@/app/server/signed-in'
import { viewIfSeen } from '@/service/views/views'

/** A view by its number alone: leads to its list. */
export default async function ViewPage({ params }: { readonly params: Promise<{ id: string }> }): Promise<ReactNode> {
  const { id } = await params
  const view = /^[1-9]\d{0,14}$/.test(id) ? await asSignedIn((actor) => viewIfSeen(actor, Number(id))) : null
  return view ? redirect(addressOfView(view)) : <NotFound isInFrame />
}
