import { Camera } from "tern_camera";
import { call } from "plover_dialer";

export default function Log() {
  return Camera.viewfinder({ onLongPress: () => call("+441632960011") });
}
