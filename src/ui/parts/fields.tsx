'use client'
import type { ReactNode } from 'react'
import {
  Checkbox as AriaCheckbox,
  Input,
  Label,
  Switch as AriaSwitch,
  TextArea,
  TextField as AriaTextField,
  TooltipTrigger,
} from 'react-aria-components'
import styled from 'styled-components'
import { box, Fault, Group, Hint } from './field-look'
import { Said, useReading } from './reading'
import { Tip } from './tip'

const StyledInput = styled(Input)`
  ${box}
`
const StyledArea = styled(TextArea)`
  ${box}
  resize: vertical;
`

interface TextProps {
  label: string
  value: string
  onChange: (value: string) => void
  error?: string | undefined
  hint?: string | undefined
  type?: 'text' | 'password' | 'email' | 'search'
  rows?: number
  mono?: boolean
  autoFocus?: boolean
  autoComplete?: string
  isDisabled?: boolean
  hideLabel?: boolean
  placeholder?: string
  width?: string
}

export function TextField({
  label,
  error,
  hint,
  rows,
  mono,
  hideLabel,
  type = 'text',
  placeholder = '',
  width,
  ...props
}: TextProps): ReactNode {
  const isRead = useReading()
  if (isRead)
    return (
      <Said label={label} hideLabel={hideLabel} mono={mono}>
        {props.value}
      </Said>
    )
  const style = mono ? { fontFamily: "'JetBrains Mono Variable', monospace", fontSize: 12 } : {}
  return (
    <AriaTextField
      {...props}
      // Natively a fault would keep the form from being sent again until it is gone; ours go when the server has looked again.
      validationBehavior="aria"
      type={rows ? 'text' : type}
      isInvalid={error !== undefined}
      aria-label={hideLabel ? label : undefined!}
      style={width ? { width } : {}}
    >
      <Group>
        {!hideLabel && <Label>{label}</Label>}
        {rows ? (
          <StyledArea rows={rows} style={style} placeholder={placeholder} />
        ) : (
          <StyledInput style={style} placeholder={placeholder} />
        )}
        {hint && <Hint slot="description">{hint}</Hint>}
        <Fault>{error}</Fault>
      </Group>
    </AriaTextField>
  )
}

const SwitchFace = styled(AriaSwitch)`
  display: inline-flex;
  align-items: center;
  gap: 8px;
  cursor: pointer;
  .track {
    width: 30px;
    height: 16px;
    border-radius: 8px;
    border: 1px solid var(--line-strong);
    background: var(--shelf);
    padding: 1px;
    flex: none;
  }
  .knob {
    width: 12px;
    height: 12px;
    border-radius: 6px;
    background: var(--mute);
  }
  &[data-selected] .track {
    background: var(--ink);
    border-color: var(--ink);
  }
  &[data-selected] .knob {
    background: var(--sheet);
    margin-left: 14px;
  }
  &[data-focus-visible] .track {
    outline: 2px solid var(--brass);
    outline-offset: 1px;
  }
  &[data-readonly] {
    cursor: default;
  }
  &.off {
    color: var(--mute);
    cursor: not-allowed;
  }
  &.off .track {
    border-color: var(--line);
    background: transparent;
  }
  &.off .knob {
    background: var(--faint);
  }
`

export function Switch({
  children,
  isSelected,
  onChange,
  whyNot,
}: {
  children: ReactNode
  isSelected: boolean
  onChange: (on: boolean) => void
  /** Set: it cannot be switched, and this says why. */
  whyNot?: string | undefined
}): ReactNode {
  const isRead = useReading()
  const face = (
    <SwitchFace
      className={whyNot === undefined ? '' : 'off'}
      isSelected={isSelected}
      onChange={onChange}
      isReadOnly={isRead || whyNot !== undefined}
    >
      <div className="track">
        <div className="knob" />
      </div>
      {children}
      {whyNot !== undefined && <span className="visually-hidden">. {whyNot}</span>}
    </SwitchFace>
  )
  if (whyNot === undefined) return face
  // By keyboard the tip opens on focus; the pointer is over the face, which the trigger does not hear of.
  return (
    <TooltipTrigger delay={200}>
      <span title={whyNot}>{face}</span>
      <Tip>{whyNot}</Tip>
    </TooltipTrigger>
  )
}

const CheckFace = styled(AriaCheckbox)`
  display: inline-flex;
  align-items: center;
  gap: 7px;
  min-height: 24px;
  cursor: pointer;
  .box {
    width: 15px;
    height: 15px;
    border: 1px solid var(--line-strong);
    border-radius: 2px;
    background: var(--sheet);
    display: grid;
    place-items: center;
    flex: none;
  }
  &[data-selected] .box {
    background: var(--ink);
    border-color: var(--ink);
    color: var(--sheet);
  }
  &[data-focus-visible] .box {
    outline: 2px solid var(--brass);
    outline-offset: 1px;
  }
`

export function Checkbox({
  children,
  isSelected,
  onChange,
}: {
  children: ReactNode
  isSelected: boolean
  onChange: (on: boolean) => void
}): ReactNode {
  const isRead = useReading()
  return (
    <CheckFace isSelected={isSelected} onChange={onChange} isReadOnly={isRead}>
      <span className="box">
        {isSelected && (
          <svg width="11" height="11" viewBox="0 0 11 11" aria-hidden="true">
            <path d="M2 5.6l2.4 2.4L9 3.2" fill="none" stroke="currentColor" strokeWidth="1.7" />
          </svg>
        )}
      </span>
      <span>{children}</span>
    </CheckFace>
  )
}
