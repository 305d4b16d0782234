// client.js SPINDLE FOLDER: the published client and types of the protocol go through an example of every architecture. Each answer must be what the
// types say it is; the first one that is not ends it with code 1.
const { spawn } = require("child_process");
const { readFileSync } = require("fs");
const rpc = require("vscode-jsonrpc/node");
const p = require("vscode-languageserver-protocol");
const t = require("vscode-languageserver-types");
const [spindle, folder] = process.argv.slice(2);

const examples = {
  "mcs51-8k": "extractor", "avr-32k": "cabinet", "z80-32k": "press", "picmid-8k": "steambox", "pic18-32k": "sander", "msp430-32k": "shed",
  "cpu12-64k": "dowels", "rv32-256k": "planer", "a32-1m": "tags", "mcs4-4k": "pegs", "armv7m-256k": "kiln", "armv6m-32k": "loom",
};
const fail = (what, seen) => {
  console.log(`WRONG: ${what}: ${JSON.stringify(seen).slice(0, 600)}`);
  process.exit(1);
};
const expect = (what, holds, seen) => holds || fail(what, seen);
const all = (is) => (list) => Array.isArray(list) && list.every((one) => is(one));
const orNull = (is) => (seen) => seen === null || is(seen);
const isTokens = (seen) => Array.isArray(seen.data) && seen.data.length % 5 === 0 && seen.data.every((n) => Number.isInteger(n) && n >= 0);
const isItem = (seen) => typeof seen.name === "string" && t.Range.is(seen.range) && t.Range.is(seen.selectionRange) && typeof seen.uri === "string";
const isSymbol = (seen) => typeof seen.name === "string" && Number.isInteger(seen.kind) && t.Location.is(seen.location);
const isSignatures = (seen) => seen.signatures.every((one) => typeof one.label === "string") && Number.isInteger(seen.activeParameter);
const isOffers = (seen) => typeof seen.isIncomplete === "boolean" && seen.items.every((one) => typeof one.label === "string" && t.CompletionItemKind.Text <= one.kind);
const isOutline = (seen) => seen.every((one) => t.DocumentSymbol.is(one) && (!one.children || isOutline(one.children)));

const here = [
  [p.HoverRequest.type, orNull(t.Hover.is)], [p.DefinitionRequest.type, orNull(t.Location.is)],
  [p.DocumentHighlightRequest.type, orNull(all((one) => t.Range.is(one.range)))], [p.SignatureHelpRequest.type, orNull(isSignatures)],
  [p.CompletionRequest.type, isOffers], [p.CallHierarchyPrepareRequest.type, orNull(all(isItem))],
];
const whole = [
  [p.DocumentSymbolRequest.type, isOutline], [p.FoldingRangeRequest.type, all(t.FoldingRange.is)], [p.SemanticTokensRequest.type, isTokens],
  [p.CodeLensRequest.type, all((one) => t.CodeLens.is(one) && t.Command.is(one.command))], [p.DocumentLinkRequest.type, all(t.DocumentLink.is)],
];

async function visit(part, name) {
  const child = spawn(spindle, ["serve", "--language", "--part", part], { stdio: ["pipe", "pipe", "inherit"] });
  const connection = p.createProtocolConnection(new rpc.StreamMessageReader(child.stdout), new rpc.StreamMessageWriter(child.stdin));
  const marks = new Map();
  let answers = 0;
  const ask = async (type, parameters, is) => {
    const seen = await connection.sendRequest(type, parameters);
    expect(`${part}: ${type.method} ${JSON.stringify(parameters).slice(0, 200)}`, is(seen), seen);
    answers++;
    return seen;
  };
  connection.onNotification(p.PublishDiagnosticsNotification.type, (told) => {
    expect(`${part}: diagnostics`, told.diagnostics.every(t.Diagnostic.is), told);
    marks.set(told.uri, told.diagnostics);
  });
  connection.listen();
  const start = await connection.sendRequest(p.InitializeRequest.type, { processId: null, rootUri: null, capabilities: {} });
  expect("what it can do", start.capabilities.hoverProvider && start.capabilities.renameProvider.prepareProvider, start);
  await connection.sendNotification(p.InitializedNotification.type, {});
  const path = `${folder}/examples/${name}/${name}.asm`, uri = `file://${path}`, text = readFileSync(path, "utf8"), lines = text.split("\n");
  const textDocument = { uri };
  await connection.sendNotification(p.DidOpenTextDocumentNotification.type, { textDocument: { uri, languageId: "spindle", version: 1, text } });
  for (const [type, is] of whole) await ask(type, { textDocument }, is);
  const range = { start: { line: 0, character: 0 }, end: { line: lines.length, character: 0 } };
  await ask(p.InlayHintRequest.type, { textDocument, range }, all(t.InlayHint.is));
  await ask(p.DocumentFormattingRequest.type, { textDocument, options: { tabSize: 8, insertSpaces: true } }, all(t.TextEdit.is));
  await ask(p.WorkspaceSymbolRequest.type, { query: "e" }, all(isSymbol));
  for (let line = 0; line < lines.length; line += 9)
    for (let character = 0; character <= Math.min(lines[line].length, 24); character += 8)
      for (const [type, is] of here) await ask(type, { textDocument, position: { line, character } }, is);
  const names = (await ask(p.DocumentSymbolRequest.type, { textDocument }, isOutline)).slice(0, 12);
  for (const one of names) {
    const position = one.selectionRange.start;
    await ask(p.ReferencesRequest.type, { textDocument, position, context: { includeDeclaration: true } }, all(t.Location.is));
    const [item] = (await ask(p.CallHierarchyPrepareRequest.type, { textDocument, position }, orNull(all(isItem)))) ?? [];
    if (item) await ask(p.CallHierarchyIncomingCallsRequest.type, { item }, all((call) => isItem(call.from) && call.fromRanges.every(t.Range.is)));
    if (item) await ask(p.CallHierarchyOutgoingCallsRequest.type, { item }, all((call) => isItem(call.to) && call.fromRanges.every(t.Range.is)));
    try {
      await ask(p.PrepareRenameRequest.type, { textDocument, position }, t.Range.is);
      await ask(p.RenameRequest.type, { textDocument, position, newName: "renamed_here" }, (edit) => t.WorkspaceEdit.is(edit) && Object.keys(edit.changes).length > 0);
    } catch (refused) {
      expect(`${part}: renaming ${one.name}`, refused.code === p.LSPErrorCodes.RequestFailed, refused.message);
    }
  }
  const offers = await ask(p.CompletionRequest.type, { textDocument, position: { line: lines.length, character: 0 } }, isOffers);
  await ask(p.CompletionResolveRequest.type, offers.items[0], (one) => t.MarkupContent.is(one.documentation));
  // a mistake, its mark, its repair
  expect(`${part}: no marks`, marks.get(uri).length === 0, marks.get(uri));
  await connection.sendNotification(p.DidChangeTextDocumentNotification.type, {
    textDocument: { uri, version: 2 },
    contentChanges: [{ range: { start: { line: 0, character: 0 }, end: { line: 0, character: 0 } }, text: " nope\n" }],
  });
  await ask(p.HoverRequest.type, { textDocument, position: { line: 0, character: 2 } }, orNull(t.Hover.is));
  expect(`${part}: a mark`, marks.get(uri).length >= 1 && marks.get(uri)[0].range.start.line === 0, marks.get(uri));
  const actions = await ask(p.CodeActionRequest.type, { textDocument, range: marks.get(uri)[0].range, context: { diagnostics: marks.get(uri) } }, all(t.CodeAction.is));
  expect(`${part}: a repair`, actions.length === 1 && actions[0].title === "nope → nop", actions);
  await connection.sendRequest(p.ShutdownRequest.type);
  await connection.sendNotification(p.ExitNotification.type);
  const code = await new Promise((done) => child.on("exit", done));
  expect(`${part}: it ends well`, code === 0, code);
  connection.dispose();
  return answers;
}

(async () => {
  for (const [part, name] of Object.entries(examples)) console.log(`${part}: ${await visit(part, name)} answers are what the types say`);
  process.exit(0);
})().catch((wrong) => fail("an error", wrong.stack ?? wrong.message));
setTimeout(() => fail("it takes too long", ""), 180000);
