import { receiveMessageOnPort, type MessagePort } from 'node:worker_threads'

/** Tell progress to who waits for the work. Work leaves no room for events, so the wish to stop is asked for. */
export function tellProgress(port: MessagePort): (share: number) => void {
  return (share) => {
    port.postMessage(share)
    if (receiveMessageOnPort(port) !== undefined) throw new Error('The work was stopped')
  }
}
