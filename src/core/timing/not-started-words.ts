/** Why an occurrence was not started, in words. */
export const WHY_WORDS: Record<string, string> = {
  late: 'too late',
  'starts off': 'starts were off',
  'made up': 'made up for by another',
  overlap: 'the one before ran on',
  'job off': 'its job is off',
  'job gone': 'its job is gone',
  inputs: 'inputs do not fit',
  'no machine': 'no machine',
  fault: 'cannot be worked out',
  day: 'not on this day',
  off: 'it is switched off',
  rate: 'as often as it may',
  chain: 'too long a chain',
}
