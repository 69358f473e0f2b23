/** Refunds wait here until a robot of the desks has booked them. */
export const REFUNDS = { slug: 'refunds', title: 'Refunds', perRun: 4, secondsEach: 40 } as const

export const REASONS = ['sailing cancelled', 'sailing late', 'booked twice', 'ill', 'car did not start']
export const NAMES = [
  'L. Fairweather',
  'A. Norquay',
  'M. Isbister',
  'R. Drever',
  'S. Flett',
  'J. Linklater',
  'T. Heddle',
]
const REJECTIONS = ['no booking of this number', 'paid by voucher', 'refunded already']

export const SCHEMA = {
  type: 'object',
  required: ['booking', 'amount'],
  additionalProperties: false,
  properties: {
    booking: { type: 'string', pattern: '^MS-[0-9]{5}$' },
    passenger: { type: 'string' },
    amount: { type: 'number', minimum: 0.5, maximum: 2000 },
    reason: { type: 'string', enum: REASONS },
  },
}

/** What a simulated robot makes of a refund: the same each time for the same number. */
export function refundOutcome(booking: string): { readonly why: string } | { readonly receipt: string } {
  const number = Number(booking.slice(3)) || 0
  return number % 19 === 7
    ? { why: REJECTIONS[number % REJECTIONS.length] as string }
    : { receipt: `R-${100_000 + ((number * 7919) % 900_000)}` }
}

/** Command of the job that brings new refunds: it runs for real. */
export const BRING_REFUNDS = `#!/bin/sh
set -eu
for n in 1 2 3; do
  number=$(( ($(date +%s) * 7 + n * 131) % 90000 + 10000 ))
  "$BUGLE_AGENT" item add ${REFUNDS.slug} --key "MS-$number" --data "{\\"booking\\": \\"MS-$number\\", \\"passenger\\": \\"${NAMES[0]}\\", \\"amount\\": $(( number % 140 + 7 )), \\"reason\\": \\"${REASONS[0]}\\"}"
done
`
