'use client'
import type { ReactNode } from 'react'
import { Cards } from '@/ui/parts/card'
import { Page, Panel, Row } from '@/ui/parts/layout'
import { TimingNav } from '../timing-nav'
import { BundleCard } from './bundle-card'
import { CrontabIn, CrontabOut } from './crontab-cards'

/** Definitions carried in and out: bundles and crontabs. Calendars have their own files, on their page. */
export function ExchangeScreen(): ReactNode {
  return (
    <Page style={{ overflow: 'hidden' }}>
      <Row>
        <h1>Timing</h1>
        <TimingNav />
      </Row>
      <Panel style={{ flex: 1, minHeight: 0, display: 'flex', flexDirection: 'column' }}>
        <Cards $first="minmax(0, 5fr)" $second="minmax(0, 7fr)">
          <div style={{ display: 'grid', gap: 16 }}>
            <BundleCard />
            <CrontabOut />
          </div>
          <CrontabIn />
        </Cards>
      </Panel>
    </Page>
  )
}
