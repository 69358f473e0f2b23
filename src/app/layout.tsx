import '@fontsource-variable/archivo/wdth.css'
import '@fontsource-variable/jetbrains-mono/wght.css'
import type { Metadata } from 'next'
import { headers } from 'next/headers'
import type { ReactNode } from 'react'
import { StyleRegistry } from '@/ui/registry'

export const metadata: Metadata = { title: { default: 'Bugle', template: '%s · Bugle' } }

export default async function RootLayout({ children }: { children: ReactNode }): Promise<ReactNode> {
  const nonce = (await headers()).get('x-nonce') ?? ''
  return (
    <html lang="en" data-theme="system" suppressHydrationWarning>
      <head>
        <meta property="csp-nonce" content={nonce} nonce={nonce} />
      </head>
      <body>
        <StyleRegistry nonce={nonce}>{children}</StyleRegistry>
      </body>
    </html>
  )
}
