import { readFileSync } from 'node:fs'
import { forgetLimits, limit, limitFaults, limitRows } from './limits'

afterEach(() => {
  delete process.env.BUGLE_LIMIT_OUTPUT_MIB
  forgetLimits()
})

describe('limits', () => {
  it('are all listed for whoever operates Bugle, with what is usual', () => {
    const listed = [
      ...readFileSync('docs/operations.md', 'utf8').matchAll(/^\| `(BUGLE_LIMIT_\w+)` \| ([\d,]+) \| (.+) \|$/gm),
    ].map(([, variable, usual, says]) => ({ variable, usual: Number(usual?.replaceAll(',', '')), says }))
    expect(listed).toEqual(limitRows().map(({ variable, usual, says }) => ({ variable, usual, says })))
  })

  it('can each be set by the environment', () => {
    process.env.BUGLE_LIMIT_OUTPUT_MIB = '3'
    expect(limit('output_mib')).toBe(3)
    expect(limitFaults()).toEqual([])
  })

  it.each(['-1', '0', 'many', '1e99'])('say that “%s” is no number for them', (text) => {
    process.env.BUGLE_LIMIT_OUTPUT_MIB = text
    const fault = `BUGLE_LIMIT_OUTPUT_MIB must be a number above 0, not “${text}”.`
    expect(limitFaults()).toEqual([fault])
    expect(() => limit('output_mib')).toThrow(fault)
  })
})
