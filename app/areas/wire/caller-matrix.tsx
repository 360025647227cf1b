/** The call matrix: allowed or not by shape, use by size, surprise by ink. */
import ButtonBase from '@mui/material/ButtonBase'
import { useMemo } from 'react'
import { countText } from '~/core/units'
import { Cell, PlainTable, Row } from '../../kit/plain-table'
import type { Call } from './call'

function Mark({ cell, largest }: { readonly cell: Call; readonly largest: number }) {
  const size = cell.perDay === 0 ? 5 : 4 + 9 * Math.sqrt(cell.perSecond / largest)
  return (
    <svg width={30} height={30} viewBox="-15 -15 30 30" aria-hidden>
      {cell.allowed ? (
        <circle r={size} className={cell.perDay === 0 ? 'idle' : 'ok'} />
      ) : (
        <path
          d={`M${-size} ${-size} L${size} ${size} M${-size} ${size} L${size} ${-size}`}
          className={cell.perDay > 0 ? 'used-denied' : 'no'}
        />
      )}
    </svg>
  )
}

/** Callers down, callees across. Arrows move between the cells that are. */
export function CallerMatrix({
  from,
  services,
  cells,
  largest,
  chosen,
  onChoose,
}: {
  readonly from: readonly string[]
  readonly services: readonly string[]
  readonly cells: readonly Call[]
  readonly largest: number
  readonly chosen: Call | null
  readonly onChoose: (cell: Call) => void
}) {
  const byEnds = useMemo(
    () => new Map(cells.map((cell) => [`${cell.caller} ${cell.service}`, cell])),
    [cells],
  )
  return (
    <PlainTable
      label="Callers and what they call"
      className="matrix"
      heads={[
        { key: 'caller', says: <span className="visually-hidden">caller</span> },
        ...services.map((service) => ({ key: service, says: <span>{service}</span> })),
      ]}
    >
      {from.map((caller) => (
        <Row key={caller} data-chosen={chosen?.caller === caller}>
          <Cell component="th" scope="row">
            {caller}
          </Cell>
          {services.map((service) => {
            const cell = byEnds.get(`${caller} ${service}`)
            return (
              <Cell key={service} data-open={cell !== undefined && cell === chosen}>
                {cell ? (
                  <ButtonBase
                    aria-label={`${caller} to ${service}: ${cell.allowed ? 'allowed' : 'refused'}, ${countText(cell.perDay, 'call')} in the last day`}
                    onClick={() => onChoose(cell)}
                  >
                    <Mark cell={cell} largest={largest} />
                  </ButtonBase>
                ) : null}
              </Cell>
            )
          })}
        </Row>
      ))}
    </PlainTable>
  )
}
