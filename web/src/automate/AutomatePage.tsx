import { useMay } from '../api/may';
import { words } from '../app/words';
import { DayLine } from '../errand/DayLine';
import { ErrandsPart } from '../errand/ErrandsPart';
import { Quiet } from '../errand/Quiet';
import { MeasurementsPart } from '../measurements/MeasurementsPart';
import { Heading } from '../shared/Panel';
import { GroupsPart } from './GroupsPart';
import { OccasionsPart } from './OccasionsPart';
import { SequencesPart } from './SequencesPart';
import { UnderWay } from './UnderWay';

// AutomatePage is what the house does by itself: the day, errands, what is under way, what is measured, and what
// somebody begins: occasions, sequences and groups.
export default function AutomatePage() {
  const may = useMay();
  return (
    <>
      <Heading title={words.places.automate}>{may('arrange') && <Quiet />}</Heading>
      <DayLine />
      <ErrandsPart arrange={may('arrange')} />
      <UnderWay />
      <MeasurementsPart />
      <OccasionsPart arrange={may('arrange')} />
      <SequencesPart arrange={may('arrange')} />
      <GroupsPart arrange={may('arrange')} />
    </>
  );
}
