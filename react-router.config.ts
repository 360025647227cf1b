import type { Config } from '@react-router/dev/config'

export default {
  appDirectory: 'app',
  ssr: true,
  serverBuildFile: '[name].js',
  // A page that is not yet known would match the one for what is nowhere while it is asked for.
  routeDiscovery: { mode: 'initial' },
  future: {
    v8_middleware: true,
    v8_splitRouteModules: true,
    v8_viteEnvironmentApi: true,
    v8_passThroughRequests: true,
    v8_trailingSlashAwareDataRequests: true,
  },
} satisfies Config
