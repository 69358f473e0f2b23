'use client'
import type { ReactNode } from 'react'
import { Button as AriaButton, TooltipTrigger, type ButtonProps } from 'react-aria-components'
import styled, { css } from 'styled-components'
import { Link } from './link'
import { useReading } from './reading'
import { Tip } from './tip'

const face = css<{ $kind: 'plain' | 'strong' | 'danger' | 'quiet' }>`
  display: inline-flex;
  align-items: center;
  justify-content: center;
  gap: 6px;
  min-height: 26px;
  padding: 3px 11px;
  border: 1px solid var(--line-strong);
  border-radius: 3px;
  background: var(--sheet);
  color: var(--ink);
  font-weight: 600;
  white-space: nowrap;
  cursor: pointer;
  text-decoration: none;
  &:hover {
    text-decoration: none;
  }
  &[data-hovered],
  &:hover {
    background: var(--shelf);
  }
  &[data-pressed] {
    background: var(--line);
  }
  ${(p) =>
    p.$kind === 'strong' &&
    css`
      background: var(--ink);
      border-color: var(--ink);
      color: var(--sheet);
      &[data-hovered],
      &:hover {
        background: color-mix(in srgb, var(--ink) 88%, var(--sheet));
      }
      &[data-pressed] {
        background: color-mix(in srgb, var(--ink) 75%, var(--sheet));
      }
    `}
  ${(p) =>
    p.$kind === 'danger' &&
    css`
      border-color: var(--failed);
      color: var(--failed);
    `}
  ${(p) =>
    p.$kind === 'quiet' &&
    css`
      border-color: transparent;
      background: transparent;
      min-height: 24px;
      padding: 2px 8px;
    `}
  &[data-disabled],
  &.off,
  &.off:hover {
    color: var(--faint);
    border-color: var(--line);
    background: transparent;
    cursor: not-allowed;
  }
`

const Face = styled(AriaButton)<{ $kind: 'plain' | 'strong' | 'danger' | 'quiet' }>`
  ${face}
`
const LinkFace = styled(Link)<{ $kind: 'plain' | 'strong' | 'danger' | 'quiet' }>`
  ${face}
`

interface Props extends Omit<ButtonProps, 'children'> {
  kind?: 'plain' | 'strong' | 'danger' | 'quiet'
  children: ReactNode
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
  href: string
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
