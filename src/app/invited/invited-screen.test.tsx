import { screen, waitFor, fireEvent } from '@testing-library/react'
import { changesOf, No, press, show, type } from '@/ui/screen.test-help'
import { NewPasswordScreen } from '../new-password/new-password-screen'
import { InvitedScreen } from './invited-screen'

const INVITATION = {
  email: 'hallam@marram.example',
  role: 'none',
  areas: [{ path: 'Sailing / Refunds', may: 'operate' }],
  note: 'Your first night is Friday.',
  madeBy: 'Ines Aldaya',
}
const secret = (label: string, value: string): void =>
  void fireEvent.change(screen.getByLabelText(label), { target: { value } })

describe('an invitation', () => {
  it('says who invites to what, takes its link out of the address, and lets the person in', async () => {
    const asked = show(
      <InvitedScreen />,
      {
        'POST /api/invited': INVITATION,
        'POST /api/invited/accept': new No(400, {
          detail: 'No.',
          errors: [{ path: 'password', message: 'It is one of the first that are tried.' }],
        }),
      },
      { at: '/invited#bgi_x' },
    )
    await screen.findByText('Ines Aldaya invites you, hallam@marram.example: operate in Sailing / Refunds.')
    expect(screen.getByText('“Your first night is Friday.”')).toBeTruthy()
    expect(window.location.hash).toBe('')
    type('Your name', 'Hallam Reid')
    secret('Password', 'passwordpassword')
    await press('Come in')
    expect(await screen.findByText('It is one of the first that are tried.')).toBeTruthy()
    expect(screen.getByRole<HTMLInputElement>('textbox', { name: 'Your name' }).value).toBe('Hallam Reid')
    expect(changesOf(asked)).toEqual([
      { what: 'POST /api/invited', body: { token: 'bgi_x' } },
      {
        what: 'POST /api/invited/accept',
        body: { token: 'bgi_x', name: 'Hallam Reid', password: 'passwordpassword' },
      },
    ])
  })

  it('that is over says so, and leads to signing in', async () => {
    show(
      <InvitedScreen />,
      { 'POST /api/invited': new No(409, { detail: 'This link is not good any more.' }) },
      { at: '/invited#bgi_old' },
    )
    expect(await screen.findByText('This link is not good any more.')).toBeTruthy()
    expect(screen.getByRole('link', { name: 'Sign in' }).getAttribute('href')).toBe('/sign-in')
    expect(screen.queryByLabelText('Password')).toBeNull()
  })
})

it('a new password is taken by the link, or refused with what was typed kept', async () => {
  const asked = show(
    <NewPasswordScreen />,
    { 'POST /api/new-password': new No(409, { detail: 'This link is not good any more.' }) },
    { at: '/new-password#bgp_x' },
  )
  secret('New password', 'gulls over the pier')
  await press('Take it')
  expect(await screen.findByText('This link is not good any more.')).toBeTruthy()
  expect(screen.getByLabelText<HTMLInputElement>('New password').value).toBe('gulls over the pier')
  await waitFor(() =>
    expect(changesOf(asked)).toEqual([
      { what: 'POST /api/new-password', body: { token: 'bgp_x', password: 'gulls over the pier' } },
    ]),
  )
})
