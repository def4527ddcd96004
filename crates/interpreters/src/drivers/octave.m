% Vine Loom's driver for Octave 6 and later.
%
% One JSON request a line on descriptor 3, one JSON event a line on descriptor 4, behind the block's mark. Blocks run statement by statement
% in the base workspace; what a statement without a semicolon shows is Octave's own printing, but for a matrix or a
% structure array at the end of a block, which is a table. Statements are found by asking the parser: lines are
% taken together until they parse.
1;

function vineloom_serve ()
  requests = fopen ("/dev/fd/3", "r");
  global vineloom_events vineloom_mark vineloom_placed vineloom_first
  vineloom_events = fopen ("/dev/fd/4", "w");
  set (0, "defaultfigurevisible", "off");
  % Octave's own letters, lines and margins are meant for a window.
  set (0, "defaultaxesfontsize", 14, "defaulttextfontsize", 14, "defaultlinelinewidth", 1.5);
  set (0, "defaultaxesposition", [0.11, 0.14, 0.86, 0.76], "defaultaxescolor", "none", "defaultfigurecolor", "none");
  warning ("off", "Octave:gnuplot-graphics");
  page_screen_output (false);
  crash_dumps_octave_core (false);
  vineloom_first = vineloom_around ();
  while (ischar (line = fgetl (requests)))
    if (isempty (line))
      continue; % fgetl waits for the byte after a line, so an empty one follows each request
    end
    request = jsondecode (line);
    vineloom_mark = request.mark;
    vineloom_placed = 0;
    code = 0;
    back = pwd ();
    try
      if (ischar (request.cwd))
        cd (request.cwd);
      end
      vineloom_hand_in (request.variables);
      old = vineloom_environment (request.env);
      if (strcmp (request.task, "variables"))
        vineloom_list ();
      elseif (strcmp (request.task, "save"))
        code = vineloom_save (request.file, request.limit);
      elseif (strcmp (request.task, "load"))
        vineloom_load (request.file);
      else
        code = vineloom_run (request);
      end
      vineloom_restore (old);
    catch problem
      code = 1;
      vineloom_failure (problem, request.label, 1);
    end
    if (ischar (request.cwd))
      cd (back);
    end
    fflush (stdout);
    vineloom_stamp ("end");
    vineloom_send (struct ("done", struct ("exit", code)));
  end
end

% Each call of fprintf writes its parts one by one to what is not buffered, and each waking of who reads them costs.
function vineloom_send (event)
  global vineloom_events vineloom_mark
  fputs (vineloom_events, [vineloom_mark " " jsonencode(event) "\n"]);
  fflush (vineloom_events);
end

% Writes a mark to both streams.
function vineloom_stamp (what)
  global vineloom_mark
  mark = ["\002" vineloom_mark ":" what "\003"];
  for stream = [stdout, stderr]
    fputs (stream, mark);
    fflush (stream);
  end
end

% Sends an event and marks its place in both streams.
function vineloom_place (event)
  global vineloom_placed
  vineloom_placed += 1;
  vineloom_stamp (sprintf ("%d", vineloom_placed));
  vineloom_send (event);
end

% The code that has run; with `text`, one more of it.
function codes = vineloom_codes (text)
  persistent all = {};
  if (nargin > 0)
    all{end + 1} = text;
  end
  codes = all;
end

function code = vineloom_run (request)
  code = 0;
  vineloom_codes (request.code);
  lines = regexp (request.code, "\n", "split");
  is_blank = cellfun ("isempty", regexp (lines, '^\s*[^\s%#]', "once"));
  final = find (! is_blank, 1, "last");
  at = 1;
  while (at <= numel (lines))
    if (is_blank(at))
      at += 1;
      continue;
    end
    last = vineloom_statement_end (lines, at);
    statement = strjoin (lines(at:last), "\n");
    if (request.transcript)
      vineloom_place (struct ("statement", statement));
    end
    try
      vineloom_evaluate (statement, last >= final);
    catch problem
      code = 1;
      vineloom_failure (problem, request.label, at);
      break;
    end
    at = last + 1;
    if (at <= final)
      vineloom_place (struct ("here", []));
    end
  end
  vineloom_figures (request.figures);
end

% The last line of the statement that begins at a line: the first at which everything so far parses.
function last = vineloom_statement_end (lines, from)
  for last = from:numel (lines)
    try
      evalin ("base", sprintf ("if false\n%s\nend\n", strjoin (lines(from:last), "\n")));
      return;
    catch problem
      if (isempty (strfind (problem.message, "parse error")))
        return;
      end
    end
  end
  last = numel (lines);
end

% Runs a statement. The last one of a block shows its value: a matrix or a structure array as a table, anything else as
% Octave shows it, with what a sentence makes of it.
function vineloom_evaluate (statement, ends)
  if (! ends)
    evalin ("base", statement);
    return;
  end
  bare = regexprep (statement, '"[^"]*"|''[^'']*''', "");
  for depth = 1:3
    bare = regexprep (bare, '\[[^\[\]]*\]|\{[^{}]*\}', "");
  end
  one = ! any (statement == "\n") && isempty (regexp (bare, '[;%#]'));
  assigned = regexp (statement, '^\s*([A-Za-z]\w*)\s*=[^=]', "tokens", "once");
  word = regexp (statement, '^\s*([A-Za-z]\w*)\s*$', "tokens", "once");
  if (! one || ! isempty (regexp (statement, '\<ans\>')))
    evalin ("base", statement);
  elseif (! isempty (assigned))
    evalin ("base", [statement ";"]);
    vineloom_show (assigned{1});
  elseif (! isempty (word) && evalin ("base", sprintf ("exist ('%s', 'var')", word{1})))
    vineloom_show (word{1});
  elseif (! isempty (regexp (regexprep (bare, '[=!~<>]=', ""), '=')) || vineloom_is_command (statement))
    evalin ("base", statement);
  else
    % An expression leaves its value in `ans`; a call that gives none leaves there what was.
    evalin ("base", "clear -variables ans");
    evalin ("base", [statement ";"]);
    try
      value = evalin ("base", "ans");
    catch
      return; % Asking whether it exists would set it.
    end
    vineloom_show ("ans");
    assignin ("base", "ans", value);
  end
end

% Whether a statement is a command and its words: `hold on`.
function found = vineloom_is_command (statement)
  found = ! isempty (regexp (statement, '^\s*(if|for|while|do|switch|try|function|unwind_protect|parfor|global|persistent)\>|^\s*[A-Za-z]\w*\s+[A-Za-z\-]', "once"));
end

% Shows the value of a variable of the base workspace.
function vineloom_show (name)
  value = evalin ("base", name);
  table = vineloom_table (value);
  if (! isempty (table))
    vineloom_place (struct ("table", table));
    return;
  end
  whole = vineloom_prose (value);
  if (isempty (whole))
    evalin ("base", sprintf ("display (%s)", name));
    return;
  end
  text = evalin ("base", sprintf ("evalc ('display (%s)')", name));
  whole.text = regexprep (text, '\s+$', "");
  vineloom_place (struct ("value", whole));
end

% How a value reads in a sentence, and what kind of value it is; for a row or a column, what it holds. Empty where it
% is neither.
function whole = vineloom_prose (value)
  whole = [];
  if (ischar (value) && rows (value) <= 1)
    whole = struct ("plain", value, "kind", "text");
  elseif (isnumeric (value) && isempty (value))
    whole = struct ("plain", "[]", "kind", "missing");
  elseif (islogical (value) && isscalar (value))
    whole = struct ("plain", ifelse_text (value, "true", "false"), "kind", ifelse_text (value, "yes", "no"));
  elseif (isnumeric (value) && isreal (value) && isscalar (value))
    number = vineloom_all_digits (value);
    kind = ifelse_text (isnan (value), "missing", ifelse_text (isinf (value), "text", "number"));
    whole = struct ("plain", number, "kind", kind);
  elseif ((isnumeric (value) && isreal (value) || iscellstr (value)) && isvector (value) && numel (value) <= 1000)
    items = cell (1, numel (value));
    for at = 1:numel (value)
      if (iscell (value))
        items{at} = vineloom_prose (value{at});
      else
        items{at} = vineloom_prose (value(at));
      end
    end
    plains = strjoin (cellfun (@(item) item.plain, items, "UniformOutput", false), ", ");
    whole = struct ("plain", plains);
    whole.items = items;
  end
end

% A number with as many digits as it takes to read the same number again.
function text = vineloom_all_digits (value)
  if (isinteger (value) || value == fix (value) && abs (value) < 1e15)
    text = sprintf ("%d", value);
    return;
  end
  for digits = 15:17
    text = sprintf ("%.*g", digits, value);
    if (isequaln (str2double (text), double (value)))
      return;
    end
  end
end

function table = vineloom_table (value)
  table = [];
  if (isnumeric (value) && ndims (value) == 2 && all (size (value) > 1) && isreal (value))
    columns = cell (1, columns (value));
    for at = 1:numel (columns)
      columns{at} = struct ("name", sprintf ("%d", at), "kind", "number");
    end
    rows = cell (1, rows (value));
    for at = 1:numel (rows)
      rows{at} = arrayfun (@vineloom_number, value(at, :), "UniformOutput", false);
    end
    table = struct ("columns", {columns}, "rows", {rows});
  elseif (isstruct (value) && numel (value) > 1)
    names = fieldnames (value);
    columns = cell (1, numel (names));
    rows = cell (1, numel (value));
    for at = 1:numel (names)
      numeric = all (arrayfun (@(row) isnumeric (row.(names{at})), value));
      columns{at} = struct ("name", names{at}, "kind", ifelse_text (numeric, "number", "text"));
    end
    for at = 1:numel (value)
      rows{at} = cellfun (@(name) vineloom_cell (value(at).(name)), names', "UniformOutput", false);
    end
    table = struct ("columns", {columns}, "rows", {rows});
  end
end

function text = ifelse_text (condition, yes, no)
  if (condition)
    text = yes;
  else
    text = no;
  end
end

function text = vineloom_cell (value)
  if (isempty (value))
    text = [];
  elseif (isnumeric (value) && isscalar (value))
    text = vineloom_number (value);
  elseif (ischar (value))
    text = value;
  else
    text = strtrim (disp (value));
  end
end

function text = vineloom_number (value)
  if (isnan (value))
    text = [];
  else
    text = vineloom_all_digits (value);
  end
end

function vineloom_figures (wanted)
  handles = sort (get (0, "children"));
  for at = 1:numel (handles)
    figure (handles(at));
    width = 160;
    if (isnumeric (wanted.width) && ! isempty (wanted.width))
      width = wanted.width;
    end
    height = width * 0.625;
    if (isnumeric (wanted.height) && ! isempty (wanted.height))
      height = wanted.height;
    end
    dpi = 96;
    if (strcmp (wanted.format, "png"))
      dpi = 200;
      if (isnumeric (wanted.dpi) && ! isempty (wanted.dpi))
        dpi = wanted.dpi;
      end
    end
    name = sprintf ("octave-%04d.%s", at, wanted.format);
    terminal = sprintf ("%s size %d,%d", ifelse_text (strcmp (wanted.format, "png"), "pngcairo", "svg"), round (width / 25.4 * dpi), round (height / 25.4 * dpi));
    drawnow (terminal, fullfile (getenv ("VINELOOM_FIGURES"), name));
    close (handles(at));
    vineloom_place (struct ("figure", struct ("file", name)));
  end
end

function vineloom_failure (problem, label, line)
  summary = strsplit (strtrim (problem.message), "\n"){1};
  text = problem.message;
  if (strncmp (summary, "parse error", 11))
    summary = "parse error";
    found = regexp (text, 'parse error near line (\d+)', "tokens", "once");
    if (! isempty (found))
      line = line + str2double (found{1}) - 1;
    end
  else
    text = ["error: " text];
    own = problem.stack(! strncmp ({problem.stack.name}, "vineloom_", 9) & cellfun (@isempty, strfind ({problem.stack.name}, "/driver")));
    for at = 1:numel (own)
      text = sprintf ("%s\n  in %s", text, own(at).name);
    end
  end
  content = struct ("summary", summary, "text", text, "at", struct ("block", label, "line", line));
  found = regexp (problem.message, "^'(\\w+)' undefined", "tokens", "once");
  if (! isempty (found))
    package = vineloom_package (found{1});
    if (! isempty (package))
      content.help = sprintf ("load its package: `pkg load %s`; if it is not installed: apt install octave-%s", package, package);
    end
  end
  vineloom_place (struct ("failure", content));
end

% The package that brings a function, for those that are missed most.
function package = vineloom_package (name)
  package = "";
  known = struct ("statistics", {{"normpdf", "normcdf", "norminv", "boxplot", "fitdist", "tcdf"}}, ...
                  "signal", {{"butter", "filtfilt", "findpeaks", "freqz", "hann"}}, ...
                  "io", {{"xlsread", "xlswrite"}}, "image", {{"imresize", "rgb2gray", "imrotate"}}, ...
                  "symbolic", {{"syms", "sym"}}, "control", {{"tf", "bode", "step"}});
  names = fieldnames (known);
  for at = 1:numel (names)
    if (any (strcmp (name, known.(names{at}))))
      package = names{at};
    end
  end
end

function old = vineloom_environment (env)
  old = struct ();
  if (isstruct (env))
    for [value, name] = env
      old.(name) = getenv (name);
      setenv (name, value);
    end
  end
end

function vineloom_restore (old)
  for [value, name] = old
    if (isempty (value))
      unsetenv (name);
    else
      setenv (name, value);
    end
  end
end

% Sets variables: a table as a structure array, a list of numbers as a row.
function vineloom_hand_in (variables)
  for at = 1:numel (variables)
    if (iscell (variables))
      variable = variables{at};
    else
      variable = variables(at);
    end
    if (isfield (variable.value, "plain"))
      given = variable.value.plain;
      if (isnumeric (given) && iscolumn (given))
        given = given';
      end
    else
      given = vineloom_records (variable.value.table);
    end
    assignin ("base", variable.name, given);
  end
end

function records = vineloom_records (table)
  names = {table.columns.name};
  numeric = strcmp ({table.columns.kind}, "number");
  records = struct ();
  for row = 1:numel (table.rows)
    cells = table.rows{row};
    for at = 1:numel (names)
      value = cells{at};
      if (numeric(at))
        if (ischar (value))
          value = str2double (value);
        else
          value = NaN;
        end
      end
      records(row).(matlab.lang.makeValidName (names{at})) = value;
    end
  end
end

function vineloom_list ()
  names = setdiff (evalin ("base", "who ();"), {"ans"});
  held = {};
  for at = 1:numel (names)
    value = evalin ("base", names{at});
    text = strtrim (regexprep (disp (value), '\s+', " "));
    held{end + 1} = struct ("name", names{at}, "kind", class (value), ...
                            "shape", strjoin (arrayfun (@(n) sprintf ("%d", n), size (value), "UniformOutput", false), " x "), ...
                            "value", text(1:min (numel (text), 200)));
  end
  vineloom_place (struct ("variables", {held}));
end

% States: the variables of the base workspace and what stands around them. Only saved where all variables are plain
% data, and where nothing that ran names a function that changes more than variables; anything else is in doubt, and the
% code is run again instead.

% Octave's own settings that a block may change; each tells its value when it is called, and is set by its value.
function names = vineloom_settings ()
  names = {"output_precision", "fixed_point_format", "print_empty_dimensions", "print_struct_array_contents", ...
           "split_long_rows", "struct_levels_to_print", "string_fill_char", "save_precision", "max_recursion_depth"};
end

% What stands around the variables, in a form that can be compared.
function now = vineloom_around ()
  now = struct ();
  now.path = path ();
  now.files = numel (fopen ("all"));
  now.defaults = get (0);
  now.umask = umask (0);
  umask (now.umask);
end

function why = vineloom_doubt ()
  why = "";
  global vineloom_first
  doubtful = ["\\<(function|inline|eval|evalin|evalc|assignin|source|run|global|persistent|tic|cputime|pkg|format|more|diary|history|mlock|" ...
              "atexit|autoload|builtin|dbstop|keyboard|graphics_toolkit|groot|setenv|putenv|unsetenv|umask|rng|lasterr|lasterror|" ...
              "lastwarn|beep_on_error|missing_function_hook|PAGER|EDITOR|PS1|PS4|sighup_dumps_octave_core|classdef|javaObject|" ...
              "containers|memoize|onCleanup|inputParser|popen|popen2|fork|exec|mkfifo|timer|parseparams|__\\w+)\\>|set *\\( *0|[\"']seed[\"']"];
  for code = vineloom_codes ()
    found = regexp (code{1}, doubtful, "match", "once");
    if (! isempty (found))
      why = sprintf ("`%s` stands in its code", found);
      return;
    end
  end
  now = vineloom_around ();
  for [value, name] = now
    if (! isequal (value, vineloom_first.(name)))
      why = "it has changed Octave itself";
      return;
    end
  end
  % A function in a file may keep what it was called with.
  if (! isempty (dir (fullfile (pwd (), "*.m"))))
    why = "functions lie in its folder, which may have a state of their own";
    return;
  end
  names = evalin ("base", "who ();");
  for at = 1:numel (names)
    if (! vineloom_is_plain (evalin ("base", names{at})))
      why = sprintf ("its variable %s is no plain data, or has very many parts", names{at});
      return;
    end
  end
end

function plain = vineloom_is_plain (value)
  plain = isnumeric (value) || ischar (value) || islogical (value);
  if (! plain && numel (value) > 20000)
    return; % Looking through it would take longer than it is worth.
  end
  if (iscell (value))
    plain = all (cellfun (@vineloom_is_plain, value)(:));
  elseif (isstruct (value))
    plain = true;
    for at = 1:numel (value)
      plain = plain && all (structfun (@vineloom_is_plain, value(at)));
    end
  end
end

function code = vineloom_save (file, limit)
  code = 0;
  why = vineloom_doubt ();
  size = sum ([evalin("base", "whos ();").bytes]);
  if (isempty (why) && size > limit)
    why = "it is larger than running again is dear";
  end
  if (! isempty (why))
    vineloom_send (struct ("notice", why));
    code = 1;
    return;
  end
  around = struct ("folder", pwd ());
  around.warnings = warning ();
  around.settings = cellfun (@(name) feval (name), vineloom_settings (), "UniformOutput", false);
  around.numbers = cellfun (@(name) feval (name, "state"), vineloom_generators (), "UniformOutput", false);
  around.names = evalin ("base", "who ();");
  save ("-binary", [file ".around"], "around");
  around_bytes = vineloom_bytes ([file ".around"]);
  delete ([file ".around"]);
  held = [];
  if (! isempty (around.names))
    evalin ("base", sprintf ("save ('-binary', '%s')", file));
    held = vineloom_bytes (file);
  end
  out = fopen (file, "w");
  fwrite (out, sprintf ("%020d", numel (around_bytes)));
  fwrite (out, around_bytes);
  fwrite (out, held);
  fclose (out);
end

function names = vineloom_generators ()
  names = {"rand", "randn", "rande", "randg", "randp"};
end

function bytes = vineloom_bytes (file)
  in = fopen (file, "r");
  bytes = fread (in, Inf, "*uint8");
  fclose (in);
end

function vineloom_load (file)
  bytes = vineloom_bytes (file);
  length = str2double (char (bytes(1:20))');
  parts = {bytes(21:20 + length), bytes(21 + length:end)};
  for at = 1:2
    out = fopen (file, "w");
    fwrite (out, parts{at});
    fclose (out);
    if (at == 1)
      load ("-binary", file, "around");
    elseif (! isempty (parts{2}))
      evalin ("base", sprintf ("load ('-binary', '%s')", file));
    end
  end
  cellfun (@(name, value) feval (name, value), vineloom_settings (), around.settings);
  cellfun (@(name, value) feval (name, "state", value), vineloom_generators (), around.numbers);
  warning (around.warnings);
  cd (around.folder);
end

vineloom_serve ();
