import AVFoundation
import Speech

/// Turns speech into field notes.
public final class CurlewDictation {
    private let engine = AVAudioEngine()

    public func start(_ done: @escaping (Bool) -> Void) {
        SFSpeechRecognizer.requestAuthorization { status in
            done(status == .authorized)
        }
    }

    public func listen(_ take: @escaping (AVAudioPCMBuffer) -> Void) throws {
        let format = engine.inputNode.outputFormat(forBus: 0)
        engine.inputNode.installTap(onBus: 0, bufferSize: 1024, format: format) { buffer, _ in take(buffer) }
        try engine.start()
    }
}
