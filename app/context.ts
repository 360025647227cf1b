/** What the server hands to loaders and actions. */
import { createContext } from 'react-router'
import type { Gyrarch } from '~/server/gyrarch'

export const gyrarchContext = createContext<Gyrarch>()
export const nonceContext = createContext<string>('')
