//! `elvask lsp`: the service for editors, over the Language Server Protocol on standard input and output.
//!
//! One thread takes messages in their order. A change only notes what is another text now; when no further message waits, each app
//! with a change is looked at anew, and what is found in it is told. So a burst of keystrokes costs one look.

mod actions;
mod apps;
mod complete;
mod context;
mod hover;
mod navigate;
mod symbols;
mod tell;
mod text;
mod words;

use std::panic::{AssertUnwindSafe, catch_unwind};

use lsp_server::{Connection, ErrorCode, Message, Notification, Request, Response};
use serde_json::{Value, json};

use crate::output::Failure;
use apps::Apps;
use text::{Open, Units};

/// The command behind a lens: it shows the lines that say who needs a declaration.
const SHOW_EVIDENCE: &str = "elvask.showEvidence";

/// The files beside the open documents whose changes matter.
const WATCHED: &str = "**/{AndroidManifest.xml,*.plist,*.entitlements,*.xcprivacy,config.xml,app.json,elvask.toml,*-sheet.toml,*.gradle,*.gradle.kts,*.toml,*.pbxproj,*.xcconfig,package.json,pubspec.yaml,*.csproj,InfoPlist.strings,*.xcstrings,apple-app-site-association,assetlinks.json}";

/// Serves an editor until it says that it is done.
pub(crate) fn serve() -> Result<(), Failure> {
    let (connection, threads) = Connection::stdio();
    let failed = |error: &dyn std::fmt::Display| Failure::new(format!("the editor's side ended: {error}"));
    let (id, parameters) = connection.initialize_start().map_err(|error| failed(&error))?;
    let client = Client::of(&parameters);
    connection.initialize_finish(id, capabilities(client.units)).map_err(|error| failed(&error))?;
    let mut server = Server { connection: &connection, apps: Apps::new(client.units), client, asked: 0 };
    server.watch();
    server.run()?;
    drop(server);
    drop(connection);
    threads.join().map_err(|error| failed(&error))
}

/// What the editor can do.
struct Client {
    units: Units,
    /// It takes changes of several documents with their versions, and new files.
    whole_changes: bool,
    /// It tells of changes on the disk when it is asked to.
    watches: bool,
}

impl Client {
    fn of(parameters: &Value) -> Self {
        let can = &parameters["capabilities"];
        let encodings = can["general"]["positionEncodings"].as_array();
        let utf8 = encodings.is_some_and(|all| all.iter().any(|one| one == "utf-8"));
        let workspace = &can["workspace"];
        let edit = &workspace["workspaceEdit"];
        let creates = edit["resourceOperations"].as_array().is_some_and(|all| all.iter().any(|one| one == "create"));
        Client {
            units: if utf8 { Units::Utf8 } else { Units::Utf16 },
            whole_changes: edit["documentChanges"] == true && creates,
            watches: workspace["didChangeWatchedFiles"]["dynamicRegistration"] == true,
        }
    }
}

/// Returns what is offered to the editor.
fn capabilities(units: Units) -> Value {
    json!({
        "capabilities": {
            "positionEncoding": if units == Units::Utf8 { "utf-8" } else { "utf-16" },
            "textDocumentSync": { "openClose": true, "change": 2, "save": { "includeText": false } },
            "hoverProvider": true,
            "completionProvider": { "triggerCharacters": ["\"", "<", ".", ":", ">", "'"] },
            "definitionProvider": true,
            "referencesProvider": true,
            "documentSymbolProvider": true,
            "codeActionProvider": { "codeActionKinds": ["quickfix"] },
            "codeLensProvider": { "resolveProvider": false },
            "executeCommandProvider": { "commands": [SHOW_EVIDENCE] }
        },
        "serverInfo": { "name": "elvask", "version": env!("CARGO_PKG_VERSION") }
    })
}

struct Server<'c> {
    connection: &'c Connection,
    apps: Apps,
    client: Client,
    /// How many things were asked of the editor.
    asked: i32,
}

impl Server<'_> {
    fn run(&mut self) -> Result<(), Failure> {
        while let Ok(message) = self.connection.receiver.recv() {
            match message {
                Message::Request(request) => {
                    let over = self.connection.handle_shutdown(&request);
                    match over {
                        Ok(true) => return Ok(()),
                        Ok(false) => self.answer(request),
                        Err(error) => return Err(Failure::new(format!("the editor's side ended: {error}"))),
                    }
                }
                Message::Notification(notification) if notification.method == "exit" => return Ok(()),
                Message::Notification(notification) => self.note(notification),
                Message::Response(_) => {}
            }
            if self.connection.receiver.is_empty() {
                self.settle();
            }
        }
        Ok(())
    }

    fn send(&self, message: Message) {
        // An editor that has gone away is noticed at the next message.
        let _ = self.connection.sender.send(message);
    }

    fn notify(&self, method: &str, parameters: Value) {
        self.send(Message::Notification(Notification { method: method.to_owned(), params: parameters }));
    }

    fn ask(&mut self, method: &str, parameters: Value) {
        self.asked += 1;
        self.send(Message::Request(Request { id: self.asked.into(), method: method.to_owned(), params: parameters }));
    }

    /// Asks the editor to tell of changes on the disk.
    fn watch(&mut self) {
        if self.client.watches {
            let options = json!({ "watchers": [{ "globPattern": WATCHED }] });
            let watched =
                json!({ "id": "files", "method": "workspace/didChangeWatchedFiles", "registerOptions": options });
            self.ask("client/registerCapability", json!({ "registrations": [watched] }));
        }
    }

    /// Looks anew at what has changed and tells what is found. A fault in that ends nothing: the next change is looked at again.
    fn settle(&mut self) {
        let looked = catch_unwind(AssertUnwindSafe(|| self.apps.settle()));
        for root in looked.unwrap_or_default() {
            let told = catch_unwind(AssertUnwindSafe(|| tell::of_app(&mut self.apps, &root)));
            for parameters in told.unwrap_or_default() {
                self.notify("textDocument/publishDiagnostics", parameters);
            }
        }
    }

    fn note(&mut self, notification: Notification) {
        let parameters = notification.params;
        let done = catch_unwind(AssertUnwindSafe(|| self.take_over(&notification.method, &parameters)));
        if done.is_err() {
            self.notify(
                "window/logMessage",
                json!({ "type": 1, "message": format!("elvask: {} failed", notification.method) }),
            );
        }
    }

    /// Takes over what the editor tells.
    fn take_over(&mut self, method: &str, parameters: &Value) {
        let document = &parameters["textDocument"];
        let uri = document["uri"].as_str().unwrap_or_default();
        let named = || self.apps.path_of(uri);
        let version = document["version"].as_i64();
        match method {
            "textDocument/didOpen" => {
                let (Some(path), Some(text)) = (named(), document["text"].as_str()) else { return };
                self.apps.open.insert(path.clone(), Open::new(text.to_owned(), version.unwrap_or_default(), uri));
                self.apps.changed(&path);
            }
            "textDocument/didChange" => {
                let Some(path) = named() else { return };
                let units = self.apps.units;
                let Some(open) = self.apps.open.get_mut(&path) else { return };
                let version = version.unwrap_or(open.version + 1);
                open.change(&parameters["contentChanges"], version, units);
                self.apps.changed(&path);
            }
            "textDocument/didClose" => {
                let Some(path) = named() else { return };
                self.apps.open.remove(&path);
                self.apps.changed(&path);
            }
            "textDocument/didSave" => {
                if let Some(path) = named() {
                    self.apps.changed(&path);
                }
            }
            "workspace/didChangeWatchedFiles" => {
                let changes = parameters["changes"].as_array().map(Vec::as_slice).unwrap_or_default();
                self.apps.forget_roots();
                for path in
                    changes.iter().filter_map(|change| self.apps.path_of(change["uri"].as_str()?)).collect::<Vec<_>>()
                {
                    // Of apps in which nothing is open nobody asks.
                    if self.apps.looked.keys().any(|root| path.starts_with(root)) {
                        self.apps.changed(&path);
                    }
                }
            }
            _ => {}
        }
    }

    /// Answers a request. A fault in one is its answer, and ends nothing.
    fn answer(&mut self, request: Request) {
        self.settle();
        let Request { id, method, params } = request;
        let done = catch_unwind(AssertUnwindSafe(|| self.answer_to(&method, &params)));
        let response = match done {
            Ok(Some(result)) => Response::new_ok(id, result),
            Ok(None) => Response::new_err(id, ErrorCode::MethodNotFound as i32, format!("{method} is not known here")),
            Err(_) => Response::new_err(
                id,
                ErrorCode::InternalError as i32,
                format!("elvask: {method} failed; this is a fault of elvask"),
            ),
        };
        self.send(Message::Response(response));
    }

    /// Returns the answer to a request; `None` for one that is not known.
    fn answer_to(&mut self, method: &str, parameters: &Value) -> Option<Value> {
        let apps = &mut self.apps;
        let path = parameters["textDocument"]["uri"].as_str().and_then(|uri| apps.path_of(uri)).unwrap_or_default();
        let position = &parameters["position"];
        Some(match method {
            "textDocument/hover" => hover::at(apps, &path, position).unwrap_or(Value::Null),
            "textDocument/completion" => complete::at(apps, &path, position).unwrap_or(Value::Null),
            "textDocument/definition" => navigate::definition(apps, &path, position).unwrap_or(Value::Null),
            "textDocument/references" => navigate::references(apps, &path, position).unwrap_or(Value::Null),
            "textDocument/documentSymbol" => symbols::of(apps, &path).unwrap_or_else(|| json!([])),
            "textDocument/codeLens" => symbols::lenses(apps, &path).unwrap_or_else(|| json!([])),
            "textDocument/codeAction" => {
                actions::at(apps, &path, &parameters["range"], self.client.whole_changes).unwrap_or_else(|| json!([]))
            }
            "workspace/executeCommand" if parameters["command"] == SHOW_EVIDENCE => {
                let lines = parameters["arguments"][0].as_str().unwrap_or_default().to_owned();
                self.notify("window/showMessage", json!({ "type": 3, "message": lines }));
                Value::Null
            }
            // For whoever wants to know what a look costs.
            "elvask/filesRead" => json!(apps.files_read()),
            #[cfg(debug_assertions)]
            "elvask/testPanic" => panic!("a test asked for it"),
            _ => return None,
        })
    }
}
