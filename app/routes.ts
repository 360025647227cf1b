import { index, route, type RouteConfig } from '@react-router/dev/routes'

export default [
  index('areas/home.ts'),
  route('fleet', 'areas/fleet/fleet.tsx'),
  route('ground', 'areas/ground/ground.tsx'),
  route('ground/addresses', 'areas/ground/addresses.tsx'),
  route('raise', 'areas/raise/drafts.tsx'),
  route('raise/new', 'areas/raise/new.ts'),
  route('raise/compare', 'areas/raise/compare.tsx'),
  route('raise/:id', 'areas/raise/sheet.tsx'),
  route('changes/:id', 'areas/run/run.tsx'),
  route('changes/:id/steps', 'areas/run/steps.ts'),
  route('clusters/:name', 'areas/cluster/cluster.tsx'),
  route('journal', 'areas/journal/journal.tsx'),
  route('journal/:seq', 'areas/journal/line.tsx'),
  route('keys', 'areas/keys/keys.tsx'),
  route('faults', 'areas/faults/faults.tsx'),
  route('do/clock', 'areas/clock.ts'),
  route('*', 'areas/nowhere.tsx'),
] satisfies RouteConfig
