import { expect, it } from 'vitest'
import { Lanes } from './lanes'

const later = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms))
const ignore = (): void => undefined

it('work of one lane is done in order, whatever it takes; lanes do not wait for each other', async () => {
  const lanes = new Lanes<number>()
  const done: string[] = []
  const work = (name: string, ms: number) => async () => {
    await later(ms)
    done.push(name)
  }
  void lanes.enter(1, work('1 first', 30), ignore)
  void lanes.enter(1, work('1 second', 0), ignore)
  void lanes.enter(2, work('2', 0), ignore)
  await lanes.atRest()
  expect(done).toEqual(['2', '1 first', '1 second'])
})

it('what throws is told to whoever asked and to whoever listens, and the lane goes on', async () => {
  const lanes = new Lanes<number>()
  const heard: unknown[] = []
  const failing = lanes.enter(
    1,
    () => Promise.reject(new Error('no')),
    (error) => heard.push(error),
  )
  const next = lanes.enter(1, async () => 'yes', ignore)
  await expect(failing).rejects.toThrow('no')
  expect(await next).toBe('yes')
  expect(heard).toHaveLength(1)
})

it('rest waits for what is entered meanwhile, too', async () => {
  const lanes = new Lanes<number>()
  const done: string[] = []
  void lanes.enter(
    1,
    async () => {
      await later(5)
      void lanes.enter(2, async () => void done.push('later'), ignore)
    },
    ignore,
  )
  await lanes.atRest()
  expect(done).toEqual(['later'])
})
