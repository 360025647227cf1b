/** The direction of dependencies: core <- server <- app, and who may know the stand-ins. */
const test = '\\.test\\.tsx?$'
module.exports = {
  forbidden: [
    {
      name: 'no-circles',
      severity: 'error',
      from: {},
      to: { circular: true },
    },
    {
      name: 'core-knows-only-core',
      severity: 'error',
      // Tests of the core too: they start no server.
      from: { path: '^core/' },
      to: { path: '^(standin|server|app|workers|demo|e2e|bench)/' },
    },
    {
      name: 'core-no-node',
      severity: 'error',
      from: { path: '^core/', pathNot: [test, '^core/testing/'] },
      to: { dependencyTypes: ['core'] },
    },
    {
      name: 'core-no-interface-or-database',
      severity: 'error',
      from: { path: '^core/' },
      to: { path: 'node_modules/(react|react-dom|@mui|sequelize|sqlite3|express)/' },
    },
    {
      name: 'standin-uses-little-of-the-core',
      severity: 'error',
      from: { path: '^standin/', pathNot: test },
      to: { path: '^(core/(?!contract/|units/|addresses/|objects/)|server/|app/|workers/|demo/)' },
    },
    {
      name: 'standin-no-node',
      severity: 'error',
      from: { path: '^standin/', pathNot: test },
      to: { dependencyTypes: ['core'] },
    },
    {
      name: 'the-contract-stands-on-little',
      severity: 'error',
      from: { path: '^core/contract/', pathNot: test },
      to: { path: '^core/(?!contract/|units/|addresses/|objects/)' },
    },
    {
      name: 'only-the-connector-knows-the-standin',
      severity: 'error',
      from: { pathNot: '^(standin/|server/connectors/standin/|bench/)' },
      to: { path: '^standin/' },
    },
    {
      name: 'pages-do-not-carry-every-kind',
      severity: 'error',
      comment:
        'Every kind of change with all that it computes is some 400 kB: pages are told what they need of one.',
      from: { path: '^app/.*\\.tsx$', pathNot: test },
      to: { path: '^core/kinds/' },
    },
    {
      name: 'server-does-not-know-app',
      severity: 'error',
      from: { path: '^server/', pathNot: '^server/main\\.ts$' },
      to: { path: '^app/' },
    },
    {
      name: 'browser-code-knows-core-and-workers',
      severity: 'error',
      from: { path: '^app/(frame|drawings|kit|parts|theme)/|^workers/' },
      to: { path: '^(server|standin|demo)/', dependencyTypesNot: ['type-only'] },
    },
    {
      name: 'areas-take-controls-from-the-kit',
      severity: 'error',
      from: { path: '^app/areas/' },
      to: {
        path: 'node_modules/(@mui/x-|react-dropzone|react-chartjs-2|chart\\.js|@mui/material/(Alert|Autocomplete|Checkbox|Chip|FormControl|IconButton|MenuItem|Radio|Select|Slider|Snackbar|Switch|Tab|Table|Tabs|TextField|ToggleButton|Tooltip))',
      },
    },
    {
      name: 'the-kit-knows-no-area',
      severity: 'error',
      from: { path: '^app/(kit|parts|drawings)/', pathNot: test },
      to: { path: '^app/areas/', dependencyTypesNot: ['type-only'] },
    },
  ],
  options: {
    tsConfig: { fileName: 'tsconfig.json' },
    tsPreCompilationDeps: true,
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '^(build|\\.react-router)/' },
    enhancedResolveOptions: { extensions: ['.ts', '.tsx', '.js', '.mjs', '.json'] },
  },
}
