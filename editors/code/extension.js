// The client of `spindle serve --language`, and the tasks of a project.
const editor = require("vscode");
const { LanguageClient } = require("vscode-languageclient/node");
let client;

exports.activate = async (context) => {
  const settings = editor.workspace.getConfiguration("spindle");
  const command = settings.get("command");
  client = new LanguageClient("spindle", "Oak Spindle", { command, args: ["serve", "--language"] }, {
    documentSelector: [{ language: "spindle" }],
    initializationOptions: { part: settings.get("part") || undefined },
    synchronize: { configurationSection: "spindle", fileEvents: editor.workspace.createFileSystemWatcher("**/{spindle.yaml,*.asm,*.inc}") },
  });
  const task = (name, ...words) => new editor.Task({ type: "spindle", name }, editor.TaskScope.Workspace, name, "spindle",
    new editor.ProcessExecution(command, words), "$spindle");
  context.subscriptions.push(editor.tasks.registerTaskProvider("spindle", {
    provideTasks: () => [task("assemble", "asm"), task("run the trials", "trial"), task("lay lines out", "tidy")],
    resolveTask: () => undefined,
  }));
  context.subscriptions.push(editor.commands.registerCommand("spindle.trial", (path) => editor.tasks.executeTask(task("trials", "trial", path))));
  await client.start();
};

exports.deactivate = () => client && client.stop();
