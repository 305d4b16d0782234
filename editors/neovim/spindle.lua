-- Sources of firmware with `spindle serve`: put this file into ~/.config/nvim/plugin/. Part: spindle.yaml, `; part: avr-32k` at the
-- top of a file, or vim.g.spindle_part. vim.g.spindle_command, where `spindle` is not on the path.
local function start(event)
  local file = vim.api.nvim_buf_get_name(event.buf)
  local above = vim.fn.findfile("spindle.yaml", vim.fn.fnamemodify(file, ":h") .. ";")
  local config = {
    name = "spindle",
    cmd = { vim.g.spindle_command or "spindle", "serve", "--language" },
    root_dir = vim.fn.fnamemodify(above ~= "" and above or file, ":p:h"),
    init_options = { part = vim.g.spindle_part },
  }
  if vim.lsp.start then return vim.lsp.start(config, { bufnr = event.buf }) end
  spindle_client = spindle_client or vim.lsp.start_client(config) -- before version 0.8
  if spindle_client then vim.lsp.buf_attach_client(event.buf, spindle_client) end
end

-- `vim.lsp.codelens.run()` at the top of a file with trials
vim.lsp.commands["spindle.trial"] = function(command)
  vim.cmd("botright split | terminal " .. vim.fn.shellescape(vim.g.spindle_command or "spindle") .. " trial " .. vim.fn.shellescape(command.arguments[1]))
end

vim.filetype.add({ extension = { asm = "spindle", inc = "spindle" } })
vim.api.nvim_create_autocmd("FileType", {
  pattern = "spindle",
  callback = function(event)
    vim.bo[event.buf].commentstring = "; %s"
    start({ buf = event.buf })
  end,
})
