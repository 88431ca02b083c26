import CoreLocation
import CoreMotion

/// Knows where you stand, and whether you walk.
public final class PhalaropeTides {
    private let places = CLLocationManager()
    private let steps = CMMotionActivityManager()

    public func start() {
        places.requestAlwaysAuthorization()
        places.startUpdatingLocation()
        steps.startActivityUpdates(to: .main) { _ in }
    }
}
