import { useMay } from '../api/may';
import { words } from '../app/words';
import { Heading } from '../shared/Panel';
import { ErrandsPart } from './ErrandsPart';
import { GroupsPart } from './GroupsPart';
import { OccasionsPart } from './OccasionsPart';
import { SequencesPart } from './SequencesPart';
import { UnderWay } from './UnderWay';

// AutomatePage is what the house does by itself: what is under way, errands, and what somebody begins: occasions,
// sequences and groups.
export default function AutomatePage() {
  const may = useMay();
  return (
    <>
      <Heading title={words.places.automate} />
      <UnderWay />
      <ErrandsPart arrange={may('arrange')} />
      <OccasionsPart arrange={may('arrange')} />
      <SequencesPart arrange={may('arrange')} />
      <GroupsPart arrange={may('arrange')} />
    </>
  );
}
