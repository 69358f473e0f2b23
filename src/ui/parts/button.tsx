'use client'
import type { ReactNode, Ref } from 'react'
import { Button as AriaButton, TooltipTrigger, type ButtonProps } from 'react-aria-components'
import styled from 'styled-components'
import { face } from './button-face'
import { Link } from './link'
import { useReading } from './reading'
import { Tip } from './tip'

const Face = styled(AriaButton)<{ $kind: 'plain' | 'strong' | 'danger' | 'quiet' }>`
  ${face}
`
const LinkFace = styled(Link)<{ $kind: 'plain' | 'strong' | 'danger' | 'quiet' }>`
  ${face}
`

interface Props extends Omit<ButtonProps, 'children'> {
  kind?: 'plain' | 'strong' | 'danger' | 'quiet'
  children: ReactNode
  ref?: Ref<HTMLButtonElement>
  /** Set: the button cannot be used, and this says why. It stays reachable so that the reason can be read. */
  whyNot?: string | undefined
}

export function Button({ kind = 'plain', whyNot, children, ...props }: Props): ReactNode {
  // Where things are only shown there is nothing to press.
  if (useReading()) return null
  if (whyNot === undefined) {
    return (
      <Face {...props} $kind={kind}>
        {children}
      </Face>
    )
  }
  const { onPress: _, type: __, ...rest } = props
  return (
    <TooltipTrigger delay={200}>
      <Face {...rest} type="button" $kind={kind} className="off" aria-disabled="true">
        {children}
      </Face>
      <Tip>{whyNot}</Tip>
    </TooltipTrigger>
  )
}

const DownloadFace = styled.a<{ $kind: 'plain' | 'strong' | 'danger' | 'quiet' }>`
  ${face}
`

/** A link to a file: the browser keeps it, the page stays. */
export function Download({
  href,
  name,
  children,
}: {
  /** Unknown yet: nothing happens. */
  href: string | undefined
  /** The file’s name, where the server names none. */
  name?: string
  children: ReactNode
}): ReactNode {
  return (
    <DownloadFace href={href} $kind="plain" download={name ?? true}>
      {children}
    </DownloadFace>
  )
}

export function ButtonLink({
  kind = 'plain',
  href,
  children,
}: {
  kind?: 'plain' | 'strong' | 'quiet'
  href: string
  children: ReactNode
}): ReactNode {
  return (
    <LinkFace href={href} $kind={kind}>
      {children}
    </LinkFace>
  )
}
