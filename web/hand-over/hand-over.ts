import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { completeOutput, type Output, type OutputRequest } from '@fennip/core/output/output.js'
import { api, type OutputPreview, type RunFile } from '../shared/api.js'
import { newestNext } from '../shared/newest-next.js'
import { useBench } from '../store/bench.js'

/** What is written of the open picture: the files kept for its job, and its report. */
export const useHandOver = defineStore('hand-over', () => {
  const bench = useBench()
  const outputs = shallowRef<readonly OutputRequest[]>([])
  const selectedAt = ref(0)
  const report = ref<{ pdf: boolean; html: boolean }>({ pdf: true, html: false })
  const preview = shallowRef<OutputPreview | null>(null)
  const isLooking = ref(false)
  const job = ref('')
  const depth = computed(() => bench.opened?.original.depth ?? 8)
  const list = computed<readonly Output[]>(() => outputs.value.map((output) => completeOutput(output, depth.value)))
  const selected = computed<Output | null>(() => list.value[selectedAt.value] ?? null)
  const wanted = computed(() => list.value.filter((output) => output.wanted))
  const forms = computed(() => (['pdf', 'html'] as const).filter((form) => report.value[form]))
  const written = computed(() => bench.runs.filter(({ kind }) => kind === 'export'))
  const filesOf = (result: Record<string, unknown> | null): RunFile[] => (result?.files as RunFile[] | undefined) ?? []

  async function open(id: string): Promise<void> {
    job.value = id
    try {
      outputs.value = (await api.outputs(id)).outputs
    } catch (error) {
      bench.report(error)
    }
  }

  let saving = Promise.resolve()
  /** Kept for the job, one change after the other. */
  function keep(changed: readonly OutputRequest[]): void {
    outputs.value = changed
    saving = saving.then(async () => {
      await api.keepOutputs(job.value, changed)
    }).catch(bench.report)
  }
  function set(change: Partial<OutputRequest>, at = selectedAt.value): void {
    keep(outputs.value.map((output, i) => (i === at ? { ...output, ...change } : output)))
  }
  function add(): void {
    const name = ['web', 'second', 'third', 'more'].find((candidate) => !outputs.value.some((output) => output.name === candidate)) ?? 'more'
    keep([...outputs.value, { name, format: 'jpeg', quality: 90, longestPx: 1600, profile: 'srgb', personal: false }])
    selectedAt.value = outputs.value.length - 1
  }
  function remove(at: number): void {
    if (outputs.value.length === 1) return
    keep(outputs.value.filter((_, i) => i !== at))
    selectedAt.value = Math.min(selectedAt.value, outputs.value.length - 1)
  }

  /** What the selected file will be, asked for once what is changed rests. */
  const look = newestNext(async () => {
    const output = outputs.value[selectedAt.value]
    const picture = bench.opened?.id
    if (!output || !picture) return
    isLooking.value = true
    try {
      await bench.settled()
      const seen = await api.preview(picture, output)
      if (bench.opened?.id === picture) preview.value = seen
    } finally {
      isLooking.value = false
    }
  }, bench.report)
  watch(() => [selected.value, bench.revision, bench.opened?.id], () => void look())

  /** Only once it is known what is kept for the job: before that nobody asked for a report without files. */
  const canWrite = computed(() => outputs.value.length > 0 && wanted.value.length + forms.value.length > 0)
  const write = () => bench.handOver({ ...(wanted.value.length > 0 ? { outputs: outputs.value.filter((_, i) => list.value[i]!.wanted) } : {}), ...(forms.value.length > 0 ? { report: [...forms.value] } : {}) })
  return { outputs, list, selectedAt, selected, wanted, canWrite, report, forms, preview, isLooking, written, filesOf, open, set, add, remove, look, write }
})
