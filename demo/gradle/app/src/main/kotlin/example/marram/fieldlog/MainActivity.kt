package example.marram.fieldlog

import android.app.Activity

class MainActivity : Activity()
