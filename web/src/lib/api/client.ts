import createClient from 'openapi-fetch';
import type { components, paths } from './schema';

type Schemas = components['schemas'];
export type State = Schemas['State'];
export type Scene = Schemas['Scene'];
export type Shown = Schemas['Shown'];
export type Reading = Schemas['Reading'];
export type ProxyShown = Schemas['ProxyShown'];
export type ShotShown = Schemas['ShotShown'];
export type CameraReading = Schemas['CameraReading'];
export type Change = Schemas['ChangeIn']['change'];
export type Proxy = Scene['proxies'] extends (infer P)[] | undefined ? P : never;
export type Trace = Schemas['Trace'];
export type Rectangle = Schemas['Rectangle'];
export type Sighting = Schemas['Sighting'];
export type Proposal = Schemas['Proposal'];
export type ProposedEdge = Schemas['ProposedEdge'];
export type Opinion = Schemas['Opinion'];
export type Sensor = Schemas['SensorOut'];
export type Key = Schemas['Key'];
export type Heading = Trace['heading'];
export type DeliveryOut = Schemas['DeliveryOut'];
export type ProjectOut = Schemas['ProjectOut'];
export type Trouble = Schemas['Trouble'];
export type Step = Schemas['Step'];
export type Pick = [number, number] | Schemas['Ray'];

/** Every request carries this; a page of another site cannot send it. */
export const OURS = { 'X-Jade-Lantern': '1' };
export const api = createClient<paths>({ baseUrl: window.location.origin, headers: OURS });

/** The lengths that the server makes copies of a plate in, of its longer side. */
export const COPIES = [640, 2048, 4096, 8192] as const;
export type Copy = (typeof COPIES)[number];

/** The largest copy that a graphics card takes. */
export const largestCopy = (most: number): Copy => COPIES.findLast((c) => c <= most) ?? COPIES[0];

export function plateAddress(project: number, digest: string, longest: Copy) {
  return `/api/projects/${project}/plate/${digest}?longest=${longest}`;
}
