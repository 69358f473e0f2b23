import { measuresOfThisMachine } from './machine'

it('tells how full memory and disk are and how busy the processors, as the system has it', () => {
  const { memory, disk, load } = measuresOfThisMachine()
  for (const percent of [memory, disk]) {
    expect(percent).toBeGreaterThanOrEqual(0)
    expect(percent).toBeLessThanOrEqual(100)
  }
  expect(load).toBeGreaterThanOrEqual(0)
})

it('looks at disks only, and passes over what does not answer', () => {
  const alone = measuresOfThisMachine('').disk
  expect(measuresOfThisMachine('proc /proc proc rw 0 0\n/dev/x /no/such\\040place ext4 rw 0 0\n').disk).toBe(alone)
})
