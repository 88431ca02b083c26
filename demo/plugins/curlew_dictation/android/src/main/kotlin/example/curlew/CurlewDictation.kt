package example.curlew

import android.content.Context
import android.content.Intent
import android.speech.RecognizerIntent
import android.speech.SpeechRecognizer

/** Turns speech into field notes. */
class CurlewDictation(context: Context) {
    private val recognizer = SpeechRecognizer.createSpeechRecognizer(context)

    fun listen() {
        recognizer.startListening(Intent(RecognizerIntent.ACTION_RECOGNIZE_SPEECH))
    }
}
