import '@fontsource-variable/bricolage-grotesque'
import '@fontsource-variable/hanken-grotesk'
import '@fontsource-variable/martian-mono/wdth.css'
import './theme/tokens.css'
import './frame/frame.css'
import './kit/kit.css'
import InitColorSchemeScript from '@mui/material/InitColorSchemeScript'
import { ThemeProvider } from '@mui/material/styles'
import type { ReactNode } from 'react'
import {
  isRouteErrorResponse,
  Links,
  Meta,
  Outlet,
  Scripts,
  ScrollRestoration,
  useRouteError,
  useRouteLoaderData,
} from 'react-router'
import type { Route } from './+types/root'
import { gyrarchContext, nonceContext } from './context'
import { Frame, type FrameData } from './frame/frame'
import { frameData } from './areas/frame-data'
import { momentOf } from './areas/moment'
import { theme } from './theme/theme'

export const meta: Route.MetaFunction = () => [{ title: 'Gyrarch' }]

export async function loader({ request, context }: Route.LoaderArgs) {
  return {
    ...(await frameData(context.get(gyrarchContext), momentOf(request))),
    nonce: context.get(nonceContext),
  }
}

export function Layout({ children }: { readonly children: ReactNode }) {
  const data = useRouteLoaderData('root') as { nonce?: string } | undefined
  // Browsers hide nonces from scripts, so what the page wakes up with differs on purpose.
  const nonce = typeof document === 'undefined' ? (data?.nonce ?? '') : ''
  return (
    <html lang="en" suppressHydrationWarning>
      <head>
        <meta charSet="utf-8" />
        <meta name="viewport" content="width=device-width, initial-scale=1" />
        <link rel="icon" href="/favicon.svg" type="image/svg+xml" />
        <Meta />
        <Links nonce={nonce} />
      </head>
      <body suppressHydrationWarning>
        <InitColorSchemeScript attribute="data" defaultMode="system" nonce={nonce} />
        <ThemeProvider theme={theme} defaultMode="system" disableTransitionOnChange>
          {children}
        </ThemeProvider>
        <ScrollRestoration nonce={nonce} />
        <Scripts nonce={nonce} />
      </body>
    </html>
  )
}

export default function Root({ loaderData }: Route.ComponentProps) {
  const data: FrameData = loaderData
  return (
    <Frame data={data}>
      <Outlet />
    </Frame>
  )
}

export function ErrorBoundary() {
  const error = useRouteError()
  const data = useRouteLoaderData('root') as FrameData | undefined
  const says = isRouteErrorResponse(error)
    ? String(error.data || error.statusText)
    : 'Gyrarch could not show this page. The reason is in its log.'
  const body = (
    <main className="area" style={{ padding: 40 }}>
      <h1>
        {isRouteErrorResponse(error) && error.status === 404
          ? 'There is nothing here'
          : 'This page could not be shown'}
      </h1>
      <p style={{ margin: '10px 0 18px', maxWidth: '60ch' }}>{says}</p>
      <p>
        <a href="/fleet">To the fleet</a>
      </p>
    </main>
  )
  return data ? <Frame data={data}>{body}</Frame> : body
}
