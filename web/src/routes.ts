/** Which view stands at which address. */
import { wrap } from 'svelte-spa-router/wrap'

/** A view is loaded when it is first opened; two addresses of one view keep it as it is. */
const view = (load: Parameters<typeof wrap>[0]['asyncComponent']) => wrap({ asyncComponent: load })
const front = view(() => import('./views/front/Front.svelte'))
const scorecardPage = view(() => import('./views/scorecards/ScorecardPage.svelte'))
const present = view(() => import('./views/scorecards/Present.svelte'))
const fromRows = view(() => import('./views/rows/FromRows.svelte'))
const kpiPage = view(() => import('./views/kpis/KpiPage.svelte'))
const signalsPage = view(() => import('./views/kpis/Signals.svelte'))
const assumptionsPage = view(() => import('./views/kpis/Assumptions.svelte'))
const yardstickPage = view(() => import('./views/yardsticks/YardstickPage.svelte'))
const markBook = view(() => import('./views/marks/MarkBook.svelte'))
const dataList = view(() => import('./views/data/DataList.svelte'))
const newSheet = view(() => import('./views/data/NewSheet.svelte'))
const newChecklist = view(() => import('./views/data/NewChecklist.svelte'))
const newLive = view(() => import('./views/data/NewLive.svelte'))
const newKept = view(() => import('./views/data/NewKept.svelte'))
const tablePage = view(() => import('./views/data/TablePage.svelte'))
const dataPage = view(() => import('./views/data/DataPage.svelte'))
const editions = view(() => import('./views/editions/Editions.svelte'))
const books = view(() => import('./views/editions/Books.svelte'))
const editionCheck = view(() => import('./views/editions/Check.svelte'))
const editionCalendar = view(() => import('./views/editions/Calendar.svelte'))
const bundle = view(() => import('./views/data/Bundle.svelte'))
const editionPage = view(() => import('./views/editions/EditionPage.svelte'))
const watches = view(() => import('./views/watches/Watches.svelte'))
const sending = view(() => import('./views/watches/Sending.svelte'))
const people = view(() => import('./views/people/People.svelte'))
const whoReads = view(() => import('./views/people/WhoReads.svelte'))
const done = view(() => import('./views/people/Done.svelte'))
const upkeep = view(() => import('./views/people/Upkeep.svelte'))
const account = view(() => import('./views/people/Account.svelte'))
const changedPage = view(() => import('./views/Changed.svelte'))
const specimens = view(() => import('./views/specimens/Specimens.svelte'))
const notFound = view(() => import('./views/NotFound.svelte'))
export const routes = {
  '/': front,
  '/scorecards': front,
  '/scorecards/:id': scorecardPage,
  '/scorecards/:id/bench': scorecardPage,
  '/scorecards/:id/present': present,
  '/rows': fromRows,
  '/kpis': kpiPage,
  '/kpis/assumptions': assumptionsPage,
  '/kpis/:id': kpiPage,
  '/kpis/:id/signals': signalsPage,
  '/yardsticks': yardstickPage,
  '/yardsticks/:id': yardstickPage,
  '/marks': markBook,
  '/marks/:kpi': markBook,
  '/data': dataList,
  '/data/new/sheet': newSheet,
  '/data/new/checklist': newChecklist,
  '/data/new/live': newLive,
  '/data/new/kept': newKept,
  '/data/new/table': tablePage,
  '/data/bundle': bundle,
  '/data/:id': dataPage,
  '/editions': editions,
  '/editions/calendar': editionCalendar,
  '/editions/check': editionCheck,
  '/editions/books': books,
  '/editions/:id': editionPage,
  '/watches': watches,
  '/watches/new': watches,
  '/watches/sending': sending,
  '/watches/:id': watches,
  '/people': people,
  '/people/:kind/:id': whoReads,
  '/done': done,
  '/upkeep': upkeep,
  '/me': account,
  '/changed': changedPage,
  '/specimens': specimens,
  '/specimens/:condition': specimens,
  '*': notFound,
}
