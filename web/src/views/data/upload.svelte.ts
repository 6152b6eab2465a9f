/** A file on its way: sent with progress, read by the server in the background, and stopped at will. */
import { Refusal, api, got, type Problem, type Schemas } from '../../api/client'

const POLL_MS = 250

interface Aim {
  sheet?: string
  /** How the file writes numbers; left out, it is found. */
  decimal?: 'point' | 'comma' | ''
  /** New rows of this dataset, seen at a version, instead of a dataset of its own. */
  dataset?: { id: string; version: number }
  how?: 'replace' | 'append' | 'periods'
}

export class Sending {
  stage = $state('')
  share = $state(0)
  private request: XMLHttpRequest | null = null
  private ticket = ''
  private stopped = false

  /** Resolves to the dataset's id, or to null when it was stopped. Raises Refusal. */
  async send(file: File, aim: Aim = {}): Promise<string | null> {
    this.begin(`Sending ${file.name}`)
    return this.follow(await this.post(file, aim))
  }

  /** Rows that the server reads from where they are, and anew by the clock; as ``send``. */
  async read(body: Schemas['NewKept']): Promise<string | null> {
    this.begin('Reading the rows')
    const query = { ticket: this.ticket }
    return this.follow(await got(api.POST('/api/datasets/kept', { params: { query }, body })))
  }

  private begin(stage: string) {
    this.stopped = false
    this.ticket = crypto
      .getRandomValues(new Uint32Array(3))
      .reduce((text, part) => text + part.toString(36), 't')
    this.stage = stage
    this.share = 0
  }

  private async follow(upload: Schemas['Upload'] | null): Promise<string | null> {
    while (upload?.state === 'running') {
      this.stage = upload.stage
      this.share = 0.3 + 0.7 * upload.share
      await new Promise((resolve) => setTimeout(resolve, POLL_MS))
      upload = await got(api.GET('/api/uploads/{key}', { params: { path: { key: upload.id } } }))
    }
    if (!upload || upload.state === 'stopped' || (this.stopped && upload.state !== 'done')) return null
    if (upload.state === 'failed' && upload.problem) throw new Refusal(upload.problem)
    return upload.dataset ?? null
  }

  stop() {
    this.stopped = true
    this.request?.abort()
    // The server may have it all already, so it is told as well.
    void got(api.DELETE('/api/uploads/{key}', { params: { path: { key: this.ticket } } })).catch(() => null)
  }

  private post(file: File, aim: Aim): Promise<Schemas['Upload'] | null> {
    const query = new URLSearchParams({ ticket: this.ticket })
    if (aim.sheet) query.set('sheet', aim.sheet)
    if (aim.decimal) query.set('decimal', aim.decimal)
    if (aim.dataset) query.set('dataset', aim.dataset.id)
    if (aim.how) query.set('how', aim.how)
    const request = (this.request = new XMLHttpRequest())
    request.open('POST', `/api/uploads?${query}`)
    if (aim.dataset) request.setRequestHeader('if-match', `"${aim.dataset.version}"`)
    request.upload.onprogress = (event) => {
      if (event.lengthComputable) this.share = (0.3 * event.loaded) / event.total
    }
    const form = new FormData()
    form.append('file', file)
    return new Promise((resolve, reject) => {
      const away = { title: 'The server does not answer', status: 0, type: 'no-answer' }
      request.onload = () => {
        this.request = null
        const answer = JSON.parse(request.responseText || 'null') as Schemas['Upload'] | Problem | null
        if (request.status === 202) resolve(answer as Schemas['Upload'])
        else
          reject(
            new Refusal((answer as Problem | null) ?? { ...away, detail: 'The server does not answer.' }),
          )
      }
      request.onerror = () =>
        reject(
          new Refusal({
            ...away,
            detail: 'The server does not answer. Nothing was kept; try again in a moment.',
          }),
        )
      request.onabort = () => resolve(null)
      request.send(form)
    })
  }
}

/** The sheets of a workbook to choose from; none for any other file. */
export async function sheetsOf(file: File): Promise<string[]> {
  if (!/\.(xlsx|ods)$/i.test(file.name)) return []
  const form = new FormData()
  form.append('file', file)
  const found = await got(
    api.POST('/api/datasets/sheets', {
      body: { file: file as unknown as string },
      bodySerializer: () => form,
    }),
  )
  return found.length > 1 ? found : []
}
