import createClient from 'openapi-fetch';
import { words } from '../app/words';
import type { components, paths } from './schema';

export const client = createClient<paths>({ baseUrl: '/' });

type Schemas = components['schemas'];
export type Device = Schemas['Device'];
export type DeviceLine = Schemas['DeviceLine'];
export type DeviceEvent = Schemas['DeviceEvent'];
export type Key = Schemas['Key'];
export type Code = Schemas['Code'];
export type Capture = Schemas['Capture'];
export type CaptureDetail = Schemas['CaptureDetail'];
export type Structure = Schemas['Structure'];
export type Comparison = Schemas['Comparison'];
export type Recording = Schemas['Recording'];
export type KeyRef = Schemas['KeyRef'];
export type Reading = Schemas['Reading'];
export type Press = Schemas['Press'];
export type Entry = Schemas['Entry'];
export type Lesson = Schemas['Lesson'];
export type Take = Schemas['Take'];
export type NewLesson = Schemas['NewLesson'];
export type LessonStep = Schemas['LessonStep'];
export type Audition = Schemas['Audition'];
export type AuditionStep = Schemas['AuditionStep'];
export type NewAudition = Schemas['NewAudition'];
export type CodeSet = Schemas['CodeSet'];
export type Station = Schemas['Station'];
export type NewStation = Schemas['NewStation'];
export type TransmitterChange = Schemas['TransmitterChange'];
export type StationTest = Schemas['StationTest'];
export type HandsetPress = Schemas['HandsetPress'];
export type Stage = Schemas['Stage'];
export type PackPlan = Schemas['PackPlan'];
export type KeyChange = Schemas['KeyChange'];
export type DeviceChange = Schemas['DeviceChange'];
export type NewDevice = Schemas['NewDevice'];
export type About = Schemas['About'];
export type Control = Schemas['Control'];
export type ControlState = Schemas['ControlState'];
export type Gauge = Schemas['Gauge'];
export type Frames = Schemas['Frames'];
export type Sheet = Schemas['Sheet'];
export type Whole = Schemas['Whole'];
export type SetAnswer = Schemas['SetAnswer'];
export type Want = Schemas['Want'];
export type Pairing = Schemas['Pairing'];
export type Question = Schemas['Question'];
export type Answers = Schemas['Answers'];
export type Board = Schemas['Board'];
export type BoardSection = Schemas['BoardSection'];
export type BoardState = Schemas['BoardState'];
export type SectionText = Schemas['SectionText'];
export type TileText = Schemas['TileText'];
export type Tile = Schemas['Tile'];
export type TileState = Schemas['TileState'];
export type TileControl = Schemas['TileControl'];
export type TileUse = Schemas['TileUse'];
export type TileAnswer = Schemas['TileAnswer'];
export type Ask = Schemas['Ask'];
export type Face = Schemas['Face'];
export type OpenQuestion = Schemas['OpenQuestion'];
export type Occasion = Schemas['Occasion'];
export type Errand = Schemas['Errand'];
export type Came = Schemas['Came'];
export type Rehearsal = Schemas['Rehearsal'];
export type Rehearsed = Schemas['Rehearsed'];
export type HouseDay = Schemas['Day'];
export type Then = Schemas['Then'];
export type MeasurementSpec = Schemas['MeasurementSpec'];
export type MeasurementChart = Schemas['MeasurementChart'];
export type OccasionPlan = Schemas['OccasionPlan'];
export type LinkRequest = Schemas['LinkRequest'];
export type FeedRequest = Schemas['FeedRequest'];
export type BelievedEvent = Schemas['BelievedEvent'];
export type Session = Schemas['Session'];
export type Token = Schemas['Token'];
export type Hook = Schemas['Hook'];
export type NewHook = Schemas['NewHook'];
export type Mqtt = Schemas['MQTT'];
export type MqttChange = Schemas['MQTTChange'];
export type Understood = Schemas['Understood'];
export type Heard = Schemas['Heard'];
export type LinkAsked = Schemas['LinkAsked'];
export type Assistant = Schemas['Assistant'];
export type Me = Schemas['Me'];
export type Person = Schemas['Person'];
export type NewPerson = Schemas['NewPerson'];
export type PersonChange = Schemas['PersonChange'];
export type Where = Schemas['Where'];
export type Ticket = Schemas['Ticket'];
export type Room = Schemas['Room'];
export type Group = Schemas['Group'];
export type GroupControl = Schemas['GroupControl'];
export type Sequence = Schemas['Sequence'];
export type Run = Schemas['Run'];
export type Hold = Schemas['Hold'];
export type NoticeEvent = Schemas['NoticeEvent'];
export type House = Schemas['House'];
export type HouseChange = Schemas['HouseChange'];
export type Stored = Schemas['Stored'];

// Problem is a refusal of the service, in its own words.
export class Problem extends Error {
  constructor(
    readonly status: number,
    detail: string,
  ) {
    super(detail);
  }
}

// NoAnswer is a request that nobody answered: it may have arrived or not.
export class NoAnswer extends Error {
  constructor() {
    super(words.noAnswer);
  }
}

type Answer<T> = { data?: T; error?: { detail?: string }; response: Response };

// unwrap gives the data of an answer, or throws the problem, or NoAnswer.
export async function unwrap<T>(answer: Promise<Answer<T>>): Promise<T> {
  const { data, error, response } = await answer.catch((e: unknown) => {
    throw e instanceof TypeError ? new NoAnswer() : e;
  });
  if (error || !response.ok) throw new Problem(response.status, error?.detail ?? response.statusText);
  return data as T;
}
