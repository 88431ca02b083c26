plugins {
    id("com.android.application")
    id("kotlin-android")
}

android {
    namespace = "example.marram.fieldlog"
    compileSdk = 36

    defaultConfig {
        applicationId = "example.marram.fieldlog"
        minSdk = 24
        targetSdk = 35
        versionCode = 31
        versionName = "2.4.0"
        manifestPlaceholders["applicationName"] = "android.app.Application"
    }

    buildTypes {
        release {
            // The build server signs with the key of the release.
        }
    }
}
