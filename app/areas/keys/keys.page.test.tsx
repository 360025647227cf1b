// @vitest-environment jsdom
import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { pagesOf, press, reason } from '../../testing/pages'
import * as keys from './keys'

const pages = pagesOf({ '/keys': keys })

const keyForm = (): HTMLElement => screen.getByRole('form', { name: 'A key for machines' })
const credentialForm = (): HTMLElement => screen.getByRole('form', { name: 'A credential' })
const fill = async (form: HTMLElement, label: RegExp, text: string): Promise<void> => {
  const field = within(form).getByLabelText(label)
  await userEvent.clear(field)
  await userEvent.type(field, text)
}
const names = async (): Promise<readonly string[]> =>
  (await pages.gyrarch.keys.list()).map(({ name }) => name)

describe('keys for machines', () => {
  it('a new one is made, and its private half shown this once', async () => {
    await pages.open('/keys')
    await fill(keyForm(), /^Name/, 'winter')
    await press('Make a new one')
    expect(await within(reason()).findByText(/It is shown this once/)).toBeTruthy()
    expect(await names()).toContain('winter')
    expect(document.body.textContent).not.toContain('PRIVATE KEY')
    await pages.again('/keys')
    expect(within(reason()).queryByText(/It is shown this once/)).toBeNull()
  })

  it('one that exists is entered by its public half, and the form is empty again', async () => {
    const key =
      'ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIKhXW1Rl1bX0vP1yYt6Vv5l2n1Yl8QyQm0n3Cw1T2c9P duty'
    await pages.open('/keys')
    await fill(keyForm(), /^Name/, 'spring')
    await userEvent.click(within(keyForm()).getByLabelText(/^Public key/))
    await userEvent.paste(key)
    await press('Enter it')
    await waitFor(async () => expect(await names()).toContain('spring'))
    await waitFor(() =>
      expect(within(keyForm()).getByLabelText<HTMLInputElement>(/^Name/).value).toBe(''),
    )
    expect(screen.getByText('spring')).toBeTruthy()
  })

  it('a public half that is none is refused at its field, and what was typed stays', async () => {
    await pages.open('/keys')
    await fill(keyForm(), /^Name/, 'autumn')
    await userEvent.click(within(keyForm()).getByLabelText(/^Public key/))
    await userEvent.paste('ssh-rsa not-a-key')
    await press('Enter it')
    await waitFor(() =>
      expect(
        within(keyForm())
          .getByLabelText(/^Public key/)
          .getAttribute('aria-invalid'),
      ).toBe('true'),
    )
    expect(within(keyForm()).getByLabelText<HTMLInputElement>(/^Name/).value).toBe('autumn')
    expect(await names()).not.toContain('autumn')
  })

  it('one that is struck is gone', async () => {
    await pages.gyrarch.keys.make('summer')
    await pages.open('/keys')
    await press('Strike summer')
    await waitFor(async () => expect(await names()).not.toContain('summer'))
    await waitFor(() => expect(screen.queryByText('summer')).toBeNull())
  })
})

describe('credentials of sites', () => {
  it('are listed with until when they hold, and never with their secret', async () => {
    await pages.open('/keys')
    const { credentials } = await pages.gyrarch.fleet.view()
    expect(credentials.length).toBeGreaterThan(0)
    for (const { until, fingerprint } of credentials) {
      expect(screen.getAllByText(until.slice(0, 10)).length).toBeGreaterThan(0)
      expect(screen.getByText(fingerprint)).toBeTruthy()
    }
  })

  it('one is checked with its site, and its answer shown with the time', async () => {
    await pages.open('/keys')
    const [credential] = (await pages.gyrarch.fleet.view()).credentials
    const name = credential?.name ?? ''
    await press(`Check ${name}`)
    const row = screen.getAllByText(name)[0]?.closest('[role=row], tr')
    await waitFor(() => expect(row?.textContent).toContain('asked 2026-'))
  })

  it('one without a secret is refused at its field', async () => {
    await pages.open('/keys')
    await fill(credentialForm(), /^Name/, 'orders')
    await press('Enter', credentialForm())
    await waitFor(() =>
      expect(
        within(credentialForm())
          .getByLabelText(/^Secret/)
          .getAttribute('aria-invalid'),
      ).toBe('true'),
    )
  })
})
