plugins {
    alias(libs.plugins.android.application)
    alias(libs.plugins.kotlin.android)
}

android {
    namespace = "example.marram.fieldlog"
    compileSdk = 35

    defaultConfig {
        applicationId = "example.marram.fieldlog"
        minSdk = 24
        targetSdk = 35
        versionCode = 20400
        versionName = "2.4.0"
    }

    // The log is free; whoever pays for it sees no banner.
    flavorDimensions += "edition"
    productFlavors {
        create("free") {
            dimension = "edition"
        }
        create("paid") {
            dimension = "edition"
        }
    }
}

dependencies {
    implementation(libs.tern.camera)
    "freeImplementation"(libs.knot.banner)
    "paidImplementation"(libs.avocet.checkout)
}
