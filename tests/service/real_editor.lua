-- What a user does in the editor, one thing after the other; what was seen is written to said.json.
local said = {}
local buffer = vim.api.nvim_get_current_buf()

local client = vim.lsp.start_client({
  name = "skelb",
  cmd = { vim.env.PYTHON, "-m", "skelb.program", "lsp" },
  root_dir = vim.fn.getcwd(),
})

local function wait_for(what)
  return vim.wait(60000, what, 50)
end

local function diagnostics()
  return vim.tbl_map(function(item)
    local line = vim.api.nvim_buf_get_lines(buffer, item.lnum, item.lnum + 1, true)[1]
    return { message = item.message, line = item.lnum, text = line:sub(item.col + 1, item.end_col) }
  end, vim.diagnostic.get(buffer, { severity = vim.diagnostic.severity.ERROR }))
end

local function go_to(line, word)
  local text = vim.api.nvim_buf_get_lines(buffer, line, line + 1, true)[1]
  vim.api.nvim_win_set_cursor(0, { line + 1, text:find(word, 1, true) - 1 })
end

local function ask(method, params)
  local answers = assert(vim.lsp.buf_request_sync(buffer, method, params or vim.lsp.util.make_position_params(), 60000))
  return answers[client].result
end

local function session()
  vim.lsp.buf_attach_client(buffer, client)
  wait_for(function() return #diagnostics() > 0 end)
  said.first = diagnostics()

  -- The mistake is mended by typing.
  go_to(5, "othr")
  vim.cmd("normal! cwother")
  wait_for(function() return #diagnostics() == 0 end)
  said.mended = diagnostics()

  go_to(2, "ema")
  said.hover = ask("textDocument/hover").contents.value
  go_to(5, "other.flood")
  vim.api.nvim_win_set_cursor(0, { 6, vim.api.nvim_win_get_cursor(0)[2] + #"other." })
  local proposed = ask("textDocument/completion")
  said.proposed = vim.tbl_map(function(item) return item.label end, proposed.items or proposed)
  local found = ask("textDocument/definition")
  found = found[1] or found
  said.definition = { file = vim.uri_to_fname(found.uri or found.targetUri), line = (found.range or found.targetSelectionRange).start.line }

  go_to(4, "quick")
  local change = vim.lsp.util.make_position_params()
  change.newName = "fast"
  vim.lsp.util.apply_workspace_edit(ask("textDocument/rename", change), "utf-16")
  local layout = ask("textDocument/formatting", vim.lsp.util.make_formatting_params())
  vim.lsp.util.apply_text_edits(layout, buffer, "utf-16")
  vim.cmd("write")
end

local ok, trouble = xpcall(session, debug.traceback)
if not ok then said.trouble = trouble end
local file = io.open("said.json", "w")
file:write(vim.json.encode(said))
file:close()
vim.cmd("qall!")
