import createClient from 'openapi-fetch';
import type { components, paths } from './schema';

type Schemas = components['schemas'];
export type Answer = Schemas['Answer'];
export type Changed = Schemas['Changed'];
export type Plate = Schemas['Plate'];
export type Lantern = NonNullable<Changed['lanterns']>[number];
export type Glazed = Schemas['Glazed'];
export type CastSheet = Schemas['CastSheet'];
export type LanternShown = Schemas['LanternShown'];
export type Taken = Schemas['Taken'];
export type DressShown = Schemas['DressShown'];
export type Darkening = Schemas['Darkening'];
export type Relief = Schemas['Relief'];
export type Light = Schemas['Sun'] | Schemas['Lamp'] | Schemas['Sky'] | Schemas['Surroundings'];
export type Guest = NonNullable<Changed['guests']>[number];
export type GuestShown = Schemas['GuestShown'];
export type Haze = Schemas['Haze'];
export type Look = Schemas['Look'];
export type TakenPart = Schemas['TakenPart'];
export type Move = Schemas['Move'];
export type KeptSighting = Schemas['KeptSighting'];
export type Levels = Schemas['LevelsOut'];
export type Misses = Schemas['Misses'];
export type MeshArrays = Schemas['MeshArrays'];
export type Reading = Schemas['Reading'];
export type CameraReading = Schemas['CameraReading'];
export type Change = Schemas['ChangeIn']['change'];
export type Proxy = NonNullable<Changed['proxies']>[number];
export type Trace = Schemas['Trace'];
export type Rectangle = Schemas['Rectangle'];
export type Sighting = Schemas['Sighting'];
export type Stills = Schemas['Stills'];
export type CameraPass = Schemas['CameraPass'];
export type Proposal = Schemas['Proposal'];
export type ProposedEdge = Schemas['ProposedEdge'];
export type FrameDiagnosis = Schemas['FrameDiagnosis'];
export type Opinion = Schemas['Opinion'];
export type Sensor = Schemas['SensorOut'];
export type Key = Schemas['Key'];
export type Heading = Trace['heading'];
export type DeliveryOut = Schemas['DeliveryOut'];
export type ProjectOut = Schemas['ProjectOut'];
export type OffOut = Schemas['OffOut'];
export type RankOut = Schemas['RankOut'];
export type Trouble = Schemas['Trouble'];
export type Step = Schemas['HistoryStep'];
export type Part = Schemas['Part'];
export type Pointed = Schemas['PointedOut'];
export type LabelRead = Schemas['LabelRead'];
export type Leaks = Schemas['LeaksOut'];
export type Strip = Schemas['StripOut'];
export type Limit = Schemas['LimitOut'];
export type Helps = Schemas['HelpsOut'];
export type Split = Schemas['SplitOut'];
export type Marbles = Schemas['MarblesOut'];
export type Label = NonNullable<Changed['labels']>[number];
export type Weld = NonNullable<Changed['welds']>[number];
export type Track = NonNullable<Changed['tracks']>[number];
export type Pick = [number, number] | Schemas['Ray'];

/** Which page this is: the server tries for each page by itself. (A page that is reached by plain
 * HTTP under another name has no `randomUUID`.) */
const page = () =>
  Array.from(crypto.getRandomValues(new Uint8Array(8)), (n) => n.toString(16)).join('-');

/** Every request carries this; a page of another site cannot send it. */
export const OURS = { 'X-Jade-Lantern': page() };
export const api = createClient<paths>({ baseUrl: window.location.origin, headers: OURS });

export const plateAddress = (project: number, digest: string) =>
  `/api/projects/${project}/plate/${digest}`;
