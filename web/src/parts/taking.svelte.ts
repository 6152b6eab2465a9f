/** Taking a page out: asked for, drawn meanwhile, told how far it is, saved; or stopped. */
import { Refusal, api, got, words, type Schemas } from '../api/client'

const ASK_MS = 250

export class Taking {
  job = $state.raw<Schemas['ExportOut'] | null>(null)
  failed = $state('')
  private left = false

  /** One thing at a time: what is asked for while another one is drawn waits for it on the server. */
  async take(asked: Schemas['ExportAsk']) {
    this.failed = ''
    try {
      this.job = await got(api.POST('/api/exports', { body: asked }))
      const params = { path: { key: this.job.id } }
      while (this.job && !['done', 'failed', 'stopped'].includes(this.job.state)) {
        await new Promise((rest) => setTimeout(rest, ASK_MS))
        if (this.left) return
        this.job = await got(api.GET('/api/exports/{key}', { params }))
      }
      if (this.job?.problem) throw new Refusal(this.job.problem)
      if (this.job?.state === 'done') {
        const link = document.createElement('a')
        link.href = `/api/exports/${this.job.id}/file`
        link.download = this.job.name
        link.click()
      }
    } catch (error) {
      this.failed = words(error)
    } finally {
      this.job = null
    }
  }

  async stop() {
    if (this.job)
      await got(api.DELETE('/api/exports/{key}', { params: { path: { key: this.job.id } } })).catch(
        (error) => (this.failed = words(error)),
      )
  }

  leave() {
    this.left = true
  }
}
