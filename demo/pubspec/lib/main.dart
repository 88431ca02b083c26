import 'package:tern_camera/tern_camera.dart';

/// The notebook of a day on the marsh: one entry a bird, with its ring, its weight and its wing.
void main() {}
