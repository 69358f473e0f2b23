'use client'
import type { ReactNode } from 'react'
import { MASKS } from '@/core/compare/masks'
import { useAddress } from '@/ui/hooks/address'
import { Checkbox } from '@/ui/parts/fields'
import { Row, Small } from '@/ui/parts/layout'
import { SearchField } from '@/ui/parts/search-field'

/** What always differs, and whether it counts; in the address. */
export function WhatCounts(): ReactNode {
  const { values, set } = useAddress()
  const left = new Set(values.off?.split('\n').filter(Boolean))
  return (
    <Row $wrap $gap={12}>
      <Small>Does not count:</Small>
      {MASKS.map((name) => (
        <Checkbox
          key={name}
          isSelected={!left.has(name)}
          onChange={(on) => {
            const next = on ? [...left].filter((one) => one !== name) : [...left, name]
            set({ off: next.join('\n') || null })
          }}
        >
          {name}
        </Checkbox>
      ))}
      <SearchField
        label="And whatever fits this expression"
        placeholder="and whatever fits, such as row \d+"
        value={values.own ?? ''}
        onChange={(text) => set({ own: text || null }, 'replace')}
        width="230px"
      />
    </Row>
  )
}
