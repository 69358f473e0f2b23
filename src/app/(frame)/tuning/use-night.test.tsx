import { act, screen } from '@testing-library/react'
import type { ReactNode } from 'react'
import { No, show } from '@/ui/screen.test-help'
import { FROM, HOURS, nightFor } from './tuning.test-help'
import { useNight } from './use-night'

const STRETCH = { from: FROM, hours: HOURS }
function Told(): ReactNode {
  const { night, error } = useNight(STRETCH)
  return <p>{error ? error.message : night ? `${night.forecast.samples} samples` : 'none yet'}</p>
}
const samplesOf = (asked: ReturnType<typeof show>): (string | undefined)[] =>
  asked.filter(({ what }) => what === 'GET /tuning/night').map(({ query }) => query.samples)
const answered = {
  'GET /tuning/night': ({ query }: { query: { samples?: string } }) => nightFor(Number(query.samples)),
}

beforeEach(() => jest.useFakeTimers())
afterEach(() => jest.useRealTimers())
const later = (ms: number): Promise<void> => act(() => jest.advanceTimersByTimeAsync(ms))

it('plays a stretch by usual lengths, then with chances, and from then on only with chances', async () => {
  const asked = show(<Told />, answered)
  await later(10)
  expect(await screen.findByText('200 samples')).toBeTruthy()
  expect(samplesOf(asked)).toEqual(['0', '200'])
  await later(250_000)
  expect(samplesOf(asked)).toEqual(['0', '200', '200', '200'])
})

it('says so when a stretch cannot be played, and when only its chances cannot', async () => {
  for (const missing of ['0', '200']) {
    show(<Told />, {
      'GET /tuning/night': ({ query }: { query: { samples?: string } }) =>
        query.samples === missing ? new No(422, { detail: `No ${missing}` }) : nightFor(Number(query.samples)),
    })
    await later(10)
    expect(await screen.findByText(`No ${missing}`)).toBeTruthy()
  }
})
