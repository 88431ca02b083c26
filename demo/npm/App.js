import { Viewfinder } from 'tern_camera';
import { dictate } from 'curlew_dictation';

// The notebook of a day on the marsh: one entry a bird, with its ring, its weight and its wing.
export default function App() {
  return Viewfinder({ onLongPress: dictate });
}
