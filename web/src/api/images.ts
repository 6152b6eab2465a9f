/** Where a picture that stands on a page comes from: the server, unless it came along with the page. */
let along: Record<string, string> = {}

export const bring = (images: Record<string, string>) => (along = images)
export const imageOf = (key: string) => along[key] ?? `/api/images/${key}`
