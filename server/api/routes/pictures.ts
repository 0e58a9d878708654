import * as validators from '@fennip/core/treatment/generated/validators.js'
import { addLooked, openPicture, setAside } from '../../pictures.js'
import { runsOf } from '../../runs/runs.js'
import { assignSensor } from '../../sensors.js'
import { AsideBody, LookedBody, SensorNameBody, type AsideRequest, type LookedRequest, type SensorNameRequest } from '../bodies.js'
import { parameter, type Route, type RouteTools } from '../route.js'

/** A picture: opened, put aside, looked at, told its camera body. */
export function pictureRoutes({ database }: RouteTools): Route[] {
  return [
    { method: 'get', path: '/pictures/{picture}', summary: 'A picture with its treatment', success: 200, handle: async (request) => ({ ...(await openPicture(database, parameter(request, 'picture'))), runs: await runsOf(database, parameter(request, 'picture')) }) },
    { method: 'get', path: '/pictures/{picture}/treatment', summary: 'The treatment as a document to keep', success: 200, handle: async (request, response) => {
      const { picture, treatment } = await openPicture(database, parameter(request, 'picture'))
      response.attachment(`${picture.name}.treatment.json`)
      return treatment
    } },
    { method: 'post', path: '/pictures/{picture}/aside', summary: 'Put a picture aside, or back', body: AsideBody, validate: validators.validateAsideBody, success: 200, handle: (request) => setAside(database, parameter(request, 'picture'), (request.body as AsideRequest).aside) },
    { method: 'post', path: '/pictures/{picture}/looked', summary: 'Remember what was looked at in a round', body: LookedBody, validate: validators.validateLookedBody, success: 200, handle: (request) => addLooked(database, parameter(request, 'picture'), (request.body as LookedRequest).cells) },
    { method: 'post', path: '/pictures/{picture}/sensor', summary: 'Say which camera body took a picture', body: SensorNameBody, validate: validators.validateSensorNameBody, success: 200, handle: (request) => assignSensor(database, parameter(request, 'picture'), (request.body as SensorNameRequest).name.trim()) },
  ]
}
