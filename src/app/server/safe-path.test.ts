import { ownPath } from './safe-path'

describe('where signing in leads', () => {
  it.each(['/watch', '/runs?state=failed#x', '/runs/7?step=a%2Fb'])('%s is ours', (to) => expect(ownPath(to)).toBe(to))

  it.each([
    undefined,
    '',
    'https://evil.example',
    '//evil.example',
    '/\t/evil.example',
    '/\n/evil.example',
    '/\\evil.example',
    '\\/evil.example',
    '/%09/evil.example/../..//evil.example',
    '/.//evil.example',
    'javascript:alert(1)',
    `/${'x'.repeat(3000)}`,
  ])('%j is not', (to) => {
    const path = ownPath(to)
    expect(new URL(path, 'https://bugle.example').host).toBe('bugle.example')
    expect(path.startsWith('//')).toBe(false)
  })
})
