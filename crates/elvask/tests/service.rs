//! The stand-in for the developer accounts: what is missing is registered in it, and then the app agrees.

use std::sync::Mutex;
use std::time::Duration;

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use serde_json::{Value, json};

use crate::support::{App, Server};

/// The stand-in, and whoever knows its token.
struct Service {
    server: Server,
    token: String,
}

impl Service {
    fn of(folder: &std::path::Path, more: &[&str]) -> Service {
        let words = [&["account", "serve", "--port", "0", "--store", "accounts.redb"], more].concat();
        let server = Server::of(&words, folder);
        let token = std::fs::read_to_string(folder.join("accounts.token")).unwrap().trim().to_owned();
        Service { server, token }
    }

    fn send(&self, method: &str, path: &str, body: &str) -> (u16, String) {
        let request = format!(
            "{method} {path} HTTP/1.1\r\nHost: a\r\nAuthorization: Bearer {}\r\nContent-Length: {}\r\n\r\n{body}",
            self.token,
            body.len()
        );
        let answer = self.server.ask(request.as_bytes());
        let status = answer.split(' ').nth(1).and_then(|status| status.parse().ok()).unwrap_or_default();
        (status, answer.split_once("\r\n\r\n").map(|(_, body)| body.to_owned()).unwrap_or_default())
    }

    fn put(&self, path: &str, body: Value) -> u16 {
        self.send("PUT", &format!("/v1/{path}"), &body.to_string()).0
    }

    fn list(&self, kind: &str) -> Vec<String> {
        let (_, body) = self.send("GET", &format!("/v1/{kind}"), "");
        let body: Value = serde_json::from_str(&body).unwrap();
        body[kind].as_array().unwrap().iter().map(|one| one["id"].as_str().unwrap().to_owned()).collect()
    }
}

fn check(app: &App, service: &Service, more: &[&str]) -> crate::support::Ran {
    let from = format!("http://{}", service.server.address);
    app.run(&[&["account", "check", "--from", &from, "--token-file", "accounts.token"], more].concat())
}

#[test]
fn what_is_missing_is_registered_and_then_the_app_agrees() {
    let app = App::demo("xcode");
    // What differs between the app's own files is mended first: what is left is the account's.
    let release = app.read("Marram/MarramRelease.entitlements");
    app.write("Marram/MarramDebug.entitlements", &release);
    app.write("Marram/avocet-payment.json", app.read("Marram/avocet-payment.json").replace("marsh", "marram"));
    let service = Service::of(app.root(), &[]);
    let before = check(&app, &service, &[]);
    assert_eq!(before.code, 1, "{}{}", before.out, before.err);
    let steps = before.out.split_once("What to do, in this order:").unwrap().1;
    let steps: String = steps.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(steps.contains("1. Register example.marram.fieldlog in the developer account for iOS (PUT /v1/ios-apps/example.marram.fieldlog)."), "{steps}");
    assert!(steps.contains("(PUT /v1/merchants/merchant.example.marram)"), "{steps}");
    assert!(!steps.contains("account.toml"), "{steps}");
    assert_eq!(service.put("ios-apps/example.marram.fieldlog", json!({})), 201);
    let off = check(&app, &service, &[]);
    assert!(off.out.contains("Push Notifications is not turned on for the app id"), "{}", off.out);
    for capability in ["Push%20Notifications", "wallet-payments"] {
        assert_eq!(service.put(&format!("ios-apps/example.marram.fieldlog/capabilities/{capability}"), json!({})), 201);
    }
    assert_eq!(service.put("merchants/merchant.example.marram", json!({})), 201);
    assert_eq!(service.put("products/example.marram.rings", json!({ "type": "consumable" })), 201);
    let draft = json!({ "type": "subscription", "state": "draft" });
    assert_eq!(service.put("products/example.marram.season", draft), 201);
    assert!(check(&app, &service, &["-q"]).out.contains("its state is draft"));
    let ready = json!({ "type": "subscription", "state": "ready" });
    assert_eq!(service.put("products/example.marram.season", ready), 200, "it is there already");
    let after = check(&app, &service, &[]);
    assert_eq!(after.code, 0, "{}", after.out);
    assert!(after.out.starts_with("The app agrees with all that was held against it."), "{}", after.out);
    // And the way back.
    assert_eq!(service.send("DELETE", "/v1/merchants/merchant.example.marram", "").0, 200);
    assert!(check(&app, &service, &["-q"]).out.contains("merchant.example.marram is not registered"));
}

#[test]
fn files_are_handed_out_as_they_were_handed_in() {
    let app = App::demo("xcode");
    let service = Service::of(app.root(), &[]);
    let profile = STANDARD.encode(include_bytes!("account/store.mobileprovision"));
    let given = json!({ "configuration": "Release", "content": profile });
    assert_eq!(service.put("profiles/store.mobileprovision", given), 201);
    let certificate = STANDARD.encode(include_bytes!("account/push-past.cer"));
    assert_eq!(service.put("certificates/push.cer", json!({ "for": "push", "content": certificate })), 201);
    let ran = check(&app, &service, &["-q"]);
    assert!(ran.out.contains("is not granted by the profile Marram Store (store.mobileprovision)"), "{}", ran.out);
    assert!(ran.out.contains("push.cer is for pushing to example.marram.FieldLog"), "{}", ran.out);
    // A key is not taken, whatever it is called.
    let store = STANDARD.encode(include_bytes!("stores/release.p12"));
    let (status, why) =
        service.send("PUT", "/v1/certificates/key.cer", &json!({ "for": "push", "content": store }).to_string());
    assert!(status == 422 && why.contains("the key stays with its owner"), "{status} {why}");
    let other = json!({ "configuration": "Release", "content": "bm90aGluZw==" });
    assert_eq!(service.put("profiles/other.mobileprovision", other), 422);
}

#[test]
fn the_service_starts_with_what_the_file_states() {
    let app = App::demo("xcode");
    let file = app.run(&["account", "check", "--format", "json"]);
    let service = Service::of(app.root(), &["--load"]);
    let asked = check(&app, &service, &["--format", "json"]);
    let subjects = |ran: &crate::support::Ran| -> Vec<String> {
        let all = ran.json()["findings"].as_array().unwrap().clone();
        all.iter().map(|one| format!("{} {}", one["rule"], one["subject"])).collect()
    };
    assert_eq!(subjects(&asked), subjects(&file));
}

#[test]
fn only_who_knows_the_token_is_answered_and_nobody_tells_it() {
    let app = App::demo("xcode");
    let service = Service::of(app.root(), &[]);
    let get =
        |header: &str| service.server.ask(format!("GET /v1/account HTTP/1.1\r\nHost: a\r\n{header}\r\n").as_bytes());
    assert!(get("").starts_with("HTTP/1.1 401"));
    assert!(get("Authorization: Bearer \r\n").starts_with("HTTP/1.1 401"));
    assert!(get(&format!("Authorization: Bearer {}\r\n", &service.token[1..])).starts_with("HTTP/1.1 401"));
    assert!(get(&format!("Authorization: Basic {}\r\n", service.token)).starts_with("HTTP/1.1 401"));
    assert!(get(&format!("Authorization: Bearer {}\r\n", service.token)).starts_with("HTTP/1.1 200"));
    #[cfg(unix)]
    for file in ["accounts.token", "accounts.redb"] {
        let about = std::fs::metadata(app.path(file)).unwrap();
        assert_eq!(std::os::unix::fs::PermissionsExt::mode(&about.permissions()) & 0o777, 0o600, "{file}");
    }
    assert!(!get("").contains(&service.token));
    let ran = check(&app, &service, &["-v"]);
    assert!(!ran.out.contains(&service.token) && !ran.err.contains(&service.token));
    let from = format!("http://{}", service.server.address);
    let without = app.run(&["account", "check", "--from", &from]);
    assert!(without.code == 2 && without.err.contains("ELVASK_ACCOUNT_TOKEN"), "{}", without.err);
    app.write("other.token", "a-token-of-somebody-else\n");
    let wrong = app.run(&["account", "check", "--from", &from, "--token-file", "other.token"]);
    assert!(wrong.code == 2 && wrong.err.contains("it refuses the token"), "{}", wrong.err);
    assert!(!wrong.err.contains("somebody-else"), "{}", wrong.err);
}

#[test]
fn what_is_too_large_or_not_as_it_must_be_is_refused() {
    let app = App::demo("xcode");
    let service = Service::of(app.root(), &[]);
    let large = format!("{{ \"type\": \"{}\" }}", "x".repeat(1 << 20));
    assert_eq!(service.send("PUT", "/v1/products/example.marram.large", &large).0, 413);
    for (path, body) in [
        ("products/example.marram.rings", "{ \"type\": \"box\" }"),
        ("products/example.marram.rings", "{ \"kind\": \"consumable\" }"),
        ("products/example.marram.rings", "{"),
        ("ios-apps/example.marram", "{ \"fingerprints\": [] }"),
        ("merchants/%00", "{}"),
        ("certificates/push.cer", "{ \"for\": \"push\", \"content\": \"?\" }"),
    ] {
        let (status, answer) = service.send("PUT", &format!("/v1/{path}"), body);
        assert_eq!(status, 422, "{path} {body}: {answer}");
    }
    assert_eq!(service.send("PUT", "/v1/boxes/one", "{}").0, 404);
    assert_eq!(service.send("POST", "/v1/products", "{}").0, 405);
    assert!(service.list("products").is_empty(), "nothing of it is kept");
}

#[test]
fn what_was_acknowledged_survives_a_kill() {
    let app = App::demo("xcode");
    let mut acknowledged: Vec<String> = Vec::new();
    for round in 0..4 {
        let service = Service::of(app.root(), &[]);
        let known = Mutex::new(Vec::new());
        let Service { server, token } = service;
        let server = std::sync::RwLock::new(server);
        std::thread::scope(|scope| {
            for thread in 0..3 {
                let (known, server, token) = (&known, &server, &token);
                scope.spawn(move || {
                    for at in 0.. {
                        let id = format!("merchant.example.{round}.{thread}.{at}");
                        let request = format!(
                            "PUT /v1/merchants/{id} HTTP/1.1\r\nHost: a\r\nAuthorization: Bearer {token}\r\nContent-Length: 0\r\n\r\n"
                        );
                        let answer = server.read().unwrap().ask(request.as_bytes());
                        if !answer.starts_with("HTTP/1.1 201") {
                            break;
                        }
                        known.lock().unwrap().push(id);
                    }
                });
            }
            // Killed by its number, as the threads hold the server while they ask.
            let pid = server.read().unwrap().id();
            std::thread::sleep(Duration::from_millis(150 + 60 * round));
            rustix::process::kill_process(
                rustix::process::Pid::from_raw(i32::try_from(pid).unwrap()).unwrap(),
                rustix::process::Signal::KILL,
            )
            .unwrap();
        });
        acknowledged.extend(known.into_inner().unwrap());
    }
    let service = Service::of(app.root(), &[]);
    let kept = service.list("merchants");
    assert!(acknowledged.len() > 20, "only {} were registered before the kills", acknowledged.len());
    let lost: Vec<_> = acknowledged.iter().filter(|id| !kept.contains(id)).collect();
    assert!(lost.is_empty(), "{} of {} are lost: {lost:?}", lost.len(), acknowledged.len());
}

#[test]
fn a_host_that_is_not_this_machine_is_asked_with_encryption_alone_and_no_other_is() {
    let app = App::demo("xcode");
    app.write("accounts.token", "0123456789abcdef\n");
    let ask =
        |from: &str| app.run(&["account", "check", "--from", from, "--token-file", "accounts.token", "--timeout", "2"]);
    for (from, why) in [
        ("http://accounts.example", "is asked over https:// only"),
        ("http://127.0.0.1@accounts.example", "no name, password"),
        ("ftp://accounts.example", "starts with https://"),
        ("http://127.0.0.1:9", "the connection is refused"),
    ] {
        let ran = ask(from);
        assert!(ran.code == 2 && ran.err.contains(why), "{from}: {}", ran.err);
    }
    // One that points elsewhere gets the token, and whoever it points to does not.
    let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let elsewhere = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    elsewhere.set_nonblocking(true).unwrap();
    let (here, there) = (listener.local_addr().unwrap(), elsewhere.local_addr().unwrap());
    let pointing = std::thread::spawn(move || {
        let (mut stream, _) = listener.accept().unwrap();
        let _ = std::io::Read::read(&mut stream, &mut [0; 4096]);
        let answer = format!(
            "HTTP/1.1 302 Found\r\nLocation: http://{there}/v1/account\r\nContent-Length: 0\r\nConnection: close\r\n\r\n"
        );
        std::io::Write::write_all(&mut stream, answer.as_bytes()).unwrap();
    });
    let ran = ask(&format!("http://{here}"));
    pointing.join().unwrap();
    assert!(ran.code == 2 && ran.err.contains("the token goes to no other host"), "{}", ran.err);
    assert!(elsewhere.accept().is_err(), "nobody came");
}

#[test]
fn two_servers_do_not_share_a_database() {
    let app = App::demo("xcode");
    let _first = Service::of(app.root(), &[]);
    let ran = app.run(&["account", "serve", "--port", "0", "--store", "accounts.redb"]);
    assert!(ran.code == 2 && ran.err.contains("another program uses it"), "{}", ran.err);
    app.write("other.redb", "this is no database");
    let ran = app.run(&["account", "serve", "--port", "0", "--store", "other.redb"]);
    assert!(ran.code == 2 && ran.err.contains("no database"), "{}", ran.err);
    assert_eq!(app.read("other.redb"), "this is no database");
}
