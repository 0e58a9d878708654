import { chromium } from 'playwright-core'
const base = process.env.BASE ?? 'http://127.0.0.1:4170'
export const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox', '--disable-quic', '--disable-background-networking'] })
export const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
page.on('console', (m) => m.type() === 'error' && console.log('console', m.text().slice(0, 300)))
page.on('pageerror', (e) => console.log('pageerror', String(e).slice(0, 400)))
export async function openPicture(name, stage) {
  const jobs = await (await fetch(`${base}/api/jobs`)).json()
  for (const job of jobs.jobs ?? jobs) {
    const whole = await (await fetch(`${base}/api/jobs/${job.id}`)).json()
    const picture = (whole.list ?? []).find((p) => p.name.startsWith(name))
    if (picture) { await page.goto(`${base}/jobs/${job.id}/pictures/${picture.id}/${stage}`); await page.waitForSelector('[data-test=picture][aria-busy=false] canvas'); await page.waitForTimeout(1500); return picture }
  }
  throw new Error('no picture ' + name)
}
