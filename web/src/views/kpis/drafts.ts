/** KPIs that are begun: what stands in their fields before anything is typed. */
import type { Dataset, Kpi, Schemas } from '../../api/client'

type Body = Schemas['KpiBody']

/** The unit of what nothing tells one of. */
export const PLAIN: Schemas['UnitBody'] = {
  kind: 'number',
  decimals: 0,
  currency: 'GBP',
  text: '',
  compact: false,
  sign: false,
}

interface Handled {
  body: { handle: string }
}

/** A handle nobody has yet, by the one wished for. */
export function freeHandle(wish: string, known: Handled[]): string {
  const taken = new Set(known.map((one) => one.body.handle))
  let handle = wish
  for (let n = 2; taken.has(handle); n++) handle = `${wish}_${n}`
  return handle
}

/** A handle as a name suggests it. */
export function handleOf(name: string, known: Handled[]): string {
  const plain = name
    .normalize('NFKC')
    .toLowerCase()
    .replace(/[^\p{L}\p{M}\p{N}]+/gu, '_')
    .replace(/^_+|_+$/g, '')
    .replace(/^(\d)/, 'k_$1')
  return freeHandle(plain.slice(0, 50) || 'new_one', known)
}

export function newKpi(dataset: Dataset, kpis: Kpi[]): Body {
  const measure = dataset.columns.find((column) => column.role === 'measure')
  return {
    handle: freeHandle('new_kpi', kpis),
    name: 'New KPI',
    description: '',
    owner: '',
    dataset: dataset.id,
    formula: measure ? `sum(${measure.name})` : 'count()',
    unit: PLAIN,
    direction: 'higher',
    nature: 'flow',
    pro_rating: 'days',
    graded_as: 'exact',
    named_dates: [],
  }
}

/** A composite to begin with: the first two KPIs, by their marks. */
export function newComposite(dataset: Dataset, kpis: Kpi[]): Body {
  const parts = kpis.filter((kpi) => !kpi.body.composite).slice(0, 2)
  return {
    ...newKpi(dataset, kpis),
    handle: freeHandle('new_composite', kpis),
    name: 'New composite',
    dataset: parts[0]?.body.dataset ?? dataset.id,
    nature: 'rate',
    unit: { kind: 'percent', decimals: 0, currency: 'GBP', text: '', compact: false, sign: false },
    composite: {
      by: 'attainment',
      low: 0,
      high: 1.2,
      parts: parts.map((kpi) => ({ kpi: kpi.id, weight: 1, yardstick: null, mark: 'target' })),
    },
  }
}
