import { ProblemError } from '@fennip/core/problem.js'
import { SensorChartSchema, type SensorChart } from '@fennip/core/series/chart-schema.js'
import { LEAST_FRAMES } from '@fennip/core/series/learn-chart.js'
import * as validators from '@fennip/core/treatment/generated/validators.js'
import { queueRun } from '../../runs/runs.js'
import { keepChart, listSensors, readSensor } from '../../sensors.js'
import { LearnBody, type LearnRequest } from '../bodies.js'
import { parameter, type Route, type RouteTools } from '../route.js'

/** Camera bodies and the charts of their sensors. */
export function sensorRoutes({ database, boss }: RouteTools): Route[] {
  return [
    { method: 'get', path: '/jobs/{job}/sensors', summary: 'Camera bodies of a job', success: 200, handle: async (request) => ({ sensors: await listSensors(database, parameter(request, 'job')) }) },
    { method: 'get', path: '/sensors/{sensor}', summary: 'A camera body with its chart and frames', success: 200, handle: (request) => readSensor(database, parameter(request, 'sensor')) },
    { method: 'post', path: '/sensors/{sensor}/learn', summary: 'Learn the chart of a sensor from frames', body: LearnBody, validate: validators.validateLearnBody, success: 202, handle: async (request) => {
      const { pictures } = request.body as LearnRequest
      const sensor = await readSensor(database, parameter(request, 'sensor'))
      const strange = pictures.filter((id) => !sensor.frames.some((frame) => frame.id === id))
      if (strange.length > 0) throw new ProblemError('frames-elsewhere', { title: 'Some frames are of another body', detail: `${strange.length} of the frames are not of ${sensor.name}. Look at the page again and repeat what you wanted.`, status: 409 })
      if (pictures.length < LEAST_FRAMES) throw new ProblemError('too-few-frames', { title: 'A chart needs three frames', detail: `Only ${pictures.length} were chosen. Choose at least ${LEAST_FRAMES} frames of this camera body, of different scenes.`, status: 422 })
      return queueRun(database, boss, 'learn', pictures[0]!, { sensor: sensor.id, pictures })
    } },
    { method: 'get', path: '/sensors/{sensor}/chart', summary: 'The chart of a sensor as a document to keep', success: 200, handle: async (request, response) => {
      const { chart, name } = await readSensor(database, parameter(request, 'sensor'))
      if (!chart) throw new ProblemError('no-chart', { title: 'There is no chart yet', detail: `Nothing has been learned of ${name}.`, status: 404 })
      response.attachment(`${name}.chart.json`)
      return chart
    } },
    { method: 'post', path: '/sensors/{sensor}/chart', summary: 'Take a chart in', body: SensorChartSchema, validate: validators.validateSensorChart, success: 200, handle: async (request) => {
      const { id } = await readSensor(database, parameter(request, 'sensor'))
      await keepChart(database, id, request.body as SensorChart)
      return { marks: (request.body as SensorChart).marks.length }
    } },
  ]
}
