import { fireEvent, screen, waitFor } from '@testing-library/react'
import { changesOf, No, press, show, type } from '@/ui/screen.test-help'
import { SignInScreen } from './sign-in-screen'

const password = (value: string): void =>
  void fireEvent.change(screen.getByLabelText('Password'), { target: { value } })

describe('signing in', () => {
  it('says that e-mail or password is wrong, and lets the person try again', async () => {
    const asked = show(<SignInScreen to="/runs" people={[]} isNew={false} />, {
      'POST /api/sign-in': new No(401, { title: 'Wrong', detail: 'Check both and try again.' }),
    })
    type('E-mail', 'callum@marram.example')
    password('wrong')
    await press('Sign in')
    expect(await screen.findByText('Check both and try again.')).toBeTruthy()
    await press('Sign in')
    await waitFor(() => expect(changesOf(asked)).toHaveLength(2))
    expect(changesOf(asked)[0]?.body).toEqual({ email: 'callum@marram.example', password: 'wrong' })
    expect(window.location.pathname).toBe('/')
  })

  it('asks for a letter to whoever forgot their password, with the same answer for everybody', async () => {
    const asked = show(<SignInScreen to="/runs" people={[]} isNew={false} />, { 'POST /api/forgotten': undefined })
    type('E-mail', 'callum@marram.example')
    await press('Forgot your password?')
    await press('Send it')
    expect((await screen.findByRole('status')).textContent).toContain(
      'If somebody signs in here with callum@marram.example',
    )
    expect(changesOf(asked)).toEqual([{ what: 'POST /api/forgotten', body: { email: 'callum@marram.example' } }])
    await press('Back')
    expect(screen.getByRole<HTMLInputElement>('textbox', { name: 'E-mail' }).value).toBe('callum@marram.example')
  })

  it('offers the demo’s people only where there are some', async () => {
    const asked = show(
      <SignInScreen
        to="/watch"
        people={[
          { organisation: 2, title: 'Stavin Yard', people: [{ id: 4, name: 'Ines Aldaya', role: 'administrator' }] },
        ]}
        isNew={false}
      />,
      { 'POST /api/sign-in/demo': new No(404, { detail: 'Not any more.' }) },
    )
    await press(/Ines Aldaya/)
    expect(changesOf(asked)).toEqual([{ what: 'POST /api/sign-in/demo', body: { personId: 4, organisation: 2 } }])
    expect(await screen.findByText('Not any more.')).toBeTruthy()
    show(<SignInScreen to="/watch" people={[]} isNew={false} />, {})
    expect(screen.queryByText(/Demo/)).toBeNull()
  })

  it('makes the first administrator with the code, and names what is wrong at its field', async () => {
    const asked = show(<SignInScreen to="/watch" people={[]} isNew />, {
      'POST /api/setup': new No(400, {
        detail: 'No.',
        errors: [{ path: 'code', message: 'This code is not the one the server printed.' }],
      }),
    })
    type('One-time code', '1234')
    type('Your name', 'Ines')
    await press('Begin')
    expect(await screen.findByText('This code is not the one the server printed.')).toBeTruthy()
    type('One-time code', '4321')
    await press('Begin')
    await waitFor(() => expect(changesOf(asked)).toHaveLength(2))
    expect(changesOf(asked)[1]?.body).toMatchObject({ code: '4321', name: 'Ines' })
  })
})
