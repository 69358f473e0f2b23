'use client'
import type { ReactElement, ReactNode } from 'react'
import { useOnDemand } from '../hooks/on-demand'
import type { ActionMenu, MenuChoice } from './menu'

const load = (): Promise<typeof ActionMenu> => import('./menu').then((module) => module.ActionMenu)

/** What a button is given that opens a menu which is not there yet. */
export interface BeforeMenu {
  readonly 'aria-haspopup'?: 'menu'
  readonly onHoverStart?: () => void
  readonly onPress?: () => void
}

/** A button that opens a list of things to do; the list comes when it is first reached for. */
export function MenuButton({
  face,
  items,
  onAction,
}: {
  face: (before: BeforeMenu) => ReactElement
  items: readonly MenuChoice[]
  onAction: (id: string) => void
}): ReactNode {
  const [Menu, open] = useOnDemand(load)
  if (Menu) return <Menu isFirstOpen button={face({})} items={items} onAction={onAction} />
  return face({ 'aria-haspopup': 'menu', onHoverStart: () => void load().catch(() => undefined), onPress: open })
}
