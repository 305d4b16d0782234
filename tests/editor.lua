-- A real client, without a screen: nvim -u NONE --headless -c 'luafile tests/editor.lua', with SPINDLE and the folder of the project in the environment.
-- Every step says what it sees; the first one that is not as it should be ends it with code 1.
vim.g.spindle_command = os.getenv("SPINDLE")
vim.g.spindle_part = "mcs51-8k"
local folder = os.getenv("SOURCE_FOLDER")
dofile(folder .. "/editors/neovim/spindle.lua")

local function expect(what, holds, seen)
  print((holds and "good: " or "WRONG: ") .. what .. (holds and "" or "\n" .. vim.inspect(seen)))
  if not holds then vim.cmd("cquit 1") end
end

local file = vim.fn.tempname() .. ".asm"
vim.fn.writefile(vim.fn.readfile(folder .. "/examples/extractor/extractor.asm"), file)
vim.cmd("edit " .. file)
vim.cmd("setfiletype spindle")
expect("the server runs", vim.wait(5000, function() return #vim.lsp.buf_get_clients(0) == 1 end), vim.lsp.buf_get_clients(0))

local function row_of(text)
  for row, line in ipairs(vim.api.nvim_buf_get_lines(0, 0, -1, false)) do
    local column = line:find(text, 1, true)
    if column then return row, column - 1 end
  end
end
local function go_to(text, offset)
  local row, column = row_of(text)
  vim.api.nvim_win_set_cursor(0, { row, column + (offset or 0) })
end
local function ask(method, more)
  local parameters = vim.tbl_extend("force", vim.lsp.util.make_position_params(), more or {})
  local answers = vim.lsp.buf_request_sync(0, method, parameters, 5000)
  for _, answer in pairs(answers or {}) do
    local wrong = answer.err or answer.error
    if wrong then return nil, wrong.message end
    return answer.result
  end
end

expect("no mistakes", vim.wait(300, function() return #vim.diagnostic.get(0) > 0 end) == false, vim.diagnostic.get(0))
go_to("mov  sp", 1)
local hover = ask("textDocument/hover")
expect("hover tells of the instruction", hover and hover.contents.value:find("Load a direct byte", 1, true), hover)
go_to("mov  a, flow", 9)
local place = ask("textDocument/definition")
expect("definition", place and place.range.start.line + 1 == row_of("flow:   ds"), place)
local uses = ask("textDocument/references", { context = { includeDeclaration = true } })
expect("references", uses and #uses == 5, uses)
local offers = ask("textDocument/completion")
local found = {}
for _, item in ipairs(vim.lsp.util.extract_completion_items(offers)) do found[item.label] = true end
expect("completion", found.flow and found.running and found.TCON, offers)
expect("outline", #ask("textDocument/documentSymbol", {}) > 40)
expect("folds", #ask("textDocument/foldingRange", {}) > 10)
expect("colours", #ask("textDocument/semanticTokens/full", {}).data > 1000)

-- a command of a lens is run by the editor
vim.lsp.commands["spindle.trial"]({ arguments = { folder .. "/examples/extractor/extractor.trial.yaml" } })
local said = function() return table.concat(vim.api.nvim_buf_get_lines(0, 0, -1, false), "\n") end
expect("the trials are run", vim.wait(60000, function() return said():find("passed", 1, true) ~= nil end), said())
vim.cmd("bdelete!")

-- a mistake, its mark, its repair
local row = row_of("mov  sp")
local line = vim.api.nvim_buf_get_lines(0, row - 1, row, false)[1]
vim.api.nvim_buf_set_lines(0, row - 1, row, false, { (line:gsub("mov  sp", "mvo  sp")) })
expect("a mistake is marked", vim.wait(5000, function() return #vim.diagnostic.get(0) == 1 end), vim.diagnostic.get(0))
local mark = vim.diagnostic.get(0)[1]
expect("where it is", mark.lnum + 1 == row and mark.message:find("mvo", 1, true), mark)
go_to("mvo  sp")
local range = vim.lsp.util.make_range_params()
local actions = ask("textDocument/codeAction", { range = range.range, context = { diagnostics = {} } })
expect("a repair is offered", actions and #actions == 1 and actions[1].title == "mvo → mov", actions)
vim.lsp.util.apply_workspace_edit(actions[1].edit, "utf-16")
expect("the repair repairs", vim.wait(5000, function() return #vim.diagnostic.get(0) == 0 end), vim.diagnostic.get(0))

-- renaming and the layout change the text, and nothing is wrong afterwards
go_to("flow:   ds")
vim.lsp.util.apply_workspace_edit(ask("textDocument/rename", { newName = "stream" }), "utf-16")
expect("renamed", row_of("stream:   ds") and not row_of("mov  a, flow"))
local _, why = ask("textDocument/rename", { newName = "weak" })
expect("a clash is refused", why and why:find("taken", 1, true), why)
vim.lsp.util.apply_text_edits(ask("textDocument/formatting", { options = { tabSize = 8, insertSpaces = true } }), 0, "utf-16")
expect("laid out", row_of("stream: ds"))
expect("all is well", vim.wait(300, function() return #vim.diagnostic.get(0) > 0 end) == false, vim.diagnostic.get(0))
vim.lsp.stop_client(vim.lsp.get_active_clients())
expect("the server ends", vim.wait(5000, function() return #vim.lsp.get_active_clients() == 0 end))
print("\n")
vim.cmd("qall!")
