import { Table } from '@chakra-ui/react'
import type { ReactNode } from 'react'

export interface Column<Row> {
  id: string
  heading: string
  cell: (row: Row) => ReactNode
  /** numbers stand under each other, to the right */
  numeric?: boolean
}

/** Rows under headings, ruled. */
export function DataTable<Row>(props: {
  label: string
  columns: readonly Column<Row>[]
  rows: readonly Row[]
  keyOf: (row: Row) => string
  /** the row that is meant now, printed bold */
  current?: (row: Row) => boolean
  /** each row is `<testId>-<key>` */
  testId?: string
}) {
  return (
    <Table.Root size="sm" variant="line" aria-label={props.label}>
      <Table.Header>
        <Table.Row>
          {props.columns.map((c) => (
            <Table.ColumnHeader key={c.id} textAlign={c.numeric ? 'end' : 'start'}>
              {c.heading}
            </Table.ColumnHeader>
          ))}
        </Table.Row>
      </Table.Header>
      <Table.Body>
        {props.rows.map((row) => (
          <Table.Row
            key={props.keyOf(row)}
            data-testid={props.testId && `${props.testId}-${props.keyOf(row)}`}
            fontWeight={props.current?.(row) ? 600 : undefined}
            aria-current={props.current?.(row) ? 'true' : undefined}
          >
            {props.columns.map((c) => (
              <Table.Cell
                key={c.id}
                textAlign={c.numeric ? 'end' : 'start'}
                className={c.numeric ? 'figures' : undefined}
              >
                {c.cell(row)}
              </Table.Cell>
            ))}
          </Table.Row>
        ))}
      </Table.Body>
    </Table.Root>
  )
}
