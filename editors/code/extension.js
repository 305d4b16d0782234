// The client of `spindle serve --language`, and the tasks of a project.
const vscode = require("vscode");
const { LanguageClient } = require("vscode-languageclient/node");
let client;

exports.activate = async (context) => {
  const settings = vscode.workspace.getConfiguration("spindle");
  const command = settings.get("command");
  client = new LanguageClient("spindle", "Oak Spindle", { command, args: ["serve", "--language"] }, {
    documentSelector: [{ language: "spindle" }],
    initializationOptions: { part: settings.get("part") || undefined },
    synchronize: { configurationSection: "spindle", fileEvents: vscode.workspace.createFileSystemWatcher("**/{spindle.yaml,*.asm,*.inc}") },
  });
  const task = (name, ...words) => new vscode.Task({ type: "spindle", name }, vscode.TaskScope.Workspace, name, "spindle",
    new vscode.ProcessExecution(command, words), "$spindle");
  context.subscriptions.push(vscode.tasks.registerTaskProvider("spindle", {
    provideTasks: () => [task("assemble", "asm"), task("run the trials", "trial"), task("lay lines out", "tidy")],
    resolveTask: () => undefined,
  }));
  context.subscriptions.push(vscode.commands.registerCommand("spindle.trial", (path) => vscode.tasks.executeTask(task("trials", "trial", path))));
  await client.start();
};

exports.deactivate = () => client && client.stop();
