/** What a test waits for may take its time where other tests have the processors: how fast things are is for the benches. */
import { configure } from '@testing-library/react'

configure({ asyncUtilTimeout: 20_000 })
