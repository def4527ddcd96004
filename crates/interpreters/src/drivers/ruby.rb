# Vine Loom's driver for Ruby 2.7 and later.
#
# One JSON request a line on descriptor 3, one JSON event a line on descriptor 4, behind the block's mark. All blocks of a strand run in the
# top-level binding. Before an event a mark is written into standard output, so that its place is known.
require "json"
require "ripper"

module VineLoom
  REQUESTS = IO.new(3, "r:UTF-8")
  EVENTS = IO.new(4, "w:UTF-8")
  EVENTS.sync = true
  [REQUESTS, EVENTS].each { |io| io.close_on_exec = true }
  # Opened once: where files are observed, opening costs.
  NOTHING = File.open(File::NULL)
  NOWHERE = File.open(File::NULL, "w")

  class << self
    attr_accessor :request, :placed, :out # for marks, whatever the block does to its own

    # Opens the block's own streams: what another block left running writes elsewhere.
    def open_streams
      STDOUT.reopen(request["stdout"], "w")
      STDERR.reopen(request["stderr"], "w")
      STDOUT.sync = STDERR.sync = true
      self.out = STDOUT.dup
      out.sync = true
      STDIN.reopen(request["stdin"] == File::NULL ? NOTHING : request["stdin"])
    end

    def close_streams
      out.close
      STDOUT.reopen(NOWHERE)
      STDERR.reopen(NOWHERE)
    end

    def send_event(event)
      EVENTS.write("#{request["mark"]} #{JSON.generate(event)}\n")
    end

    def place(event)
      $stdout.flush
      self.placed += 1
      out.write("\u0002#{request["mark"]}:#{placed}\u0003")
      send_event(event)
    end

    def table(value)
      return unless value.is_a?(Array) && !value.empty? && value.all?(Hash)
      names = value.first.keys
      return if names.empty? || value.any? { |row| row.keys != names }
      kind = lambda do |name|
        present = value.map { |row| row[name] }.compact
        !present.empty? && present.all?(Numeric) ? "number" : "text"
      end
      { columns: names.map { |name| { name: name.to_s, kind: kind.(name) } },
        rows: value.map { |row| names.map { |name| row[name]&.to_s } } }
    end

    # How a value reads in a sentence, and what kind of value it is.
    def prose(value)
      case value
      when nil then { plain: "nil", kind: "missing" }
      when true, false then { plain: value.to_s, kind: value ? "yes" : "no" }
      when Float then { plain: value.to_s, kind: value.nan? ? "missing" : value.finite? ? "number" : "text" }
      when Integer then { plain: value.to_s, kind: "number" }
      when String, Symbol, Rational then { plain: value.to_s, kind: "text" }
      else
        kind = value.class.ancestors.map(&:to_s)
        if kind.include?("BigDecimal") && value.finite?
          { plain: value.to_s("F"), kind: "number" }
        elsif kind.include?("Time") || kind.include?("DateTime")
          whole = value.hour.zero? && value.min.zero? && value.sec.zero?
          { plain: value.strftime(whole ? "%Y-%m-%d" : "%Y-%m-%d %H:%M:%S"), kind: "text" }
        elsif kind.include?("Date") || kind.include?("Pathname")
          { plain: value.to_s, kind: "text" }
        else
          { plain: value.inspect, kind: "text" }
        end
      end
    end

    # What a flat list holds, as each reads in a sentence; nothing where the value is no such list.
    def items(value)
      value = value.to_a if value.class.to_s == "Set"
      return unless value.is_a?(Array) && value.size <= 1000
      value.map { |item| prose(item) } if value.none? { |item| item.is_a?(Array) || item.is_a?(Hash) }
    end

    # Shows the value of an expression. Nothing is no value, unless a sentence asks for it.
    def show(value)
      return if value.nil? && !request["expression"]
      found = table(value)
      return place(table: found) if found
      listed = items(value)
      whole = listed ? { plain: value.inspect, items: listed } : prose(value)
      place(value: whole.merge(text: value.inspect))
    end

    # Whether the last statement is there for its value: not when it assigns or defines.
    def shows_last?(code)
      last = Ripper.sexp(code)&.dig(1)&.last&.first
      !%i[assign opassign massign def defs class module void_stmt command].include?(last)
    end

    def number(cell)
      cell && (cell.match?(/\A-?\d+\z/) ? cell.to_i : cell.to_f)
    end

    def hand_in(variables)
      variables.each do |variable|
        value = variable["value"]
        table = value["table"]
        given = value["plain"] unless table
        if table
          names = table["columns"].map { |column| column["name"] }
          numeric = table["columns"].map { |column| column["kind"] == "number" }
          given = table["rows"].map do |row|
            names.each_index.to_h { |at| [names[at], numeric[at] ? number(row[at]) : row[at]] }
          end
        end
        TOPLEVEL_BINDING.local_variable_set(variable["name"], given)
      end
    end

    def failure(error)
      trace = (error.backtrace || []).grep(/@\h{10}/)
      found = /(@\h{10}):(\d+)/.match("#{error.message}\n#{trace.join("\n")}")
      message = error.message.lines.first.to_s.chomp
      content = {
        summary: "#{error.class}: #{message}",
        text: "#{trace.first ? "#{trace.first}: " : ""}#{error.message} (#{error.class})\n#{trace.drop(1).map { |line| "  from #{line}\n" }.join}",
        at: found && { block: found[1], line: found[2].to_i }
      }
      if error.is_a?(LoadError) && error.path
        content[:help] = "install the package: `gem install #{error.path.split("/").first}`"
      end
      content
    end

    def run(code)
      value = TOPLEVEL_BINDING.eval(code, request["label"], 1)
      show(value) if shows_last?(code)
      0
    rescue SystemExit => error
      error.status
    rescue Exception => error # a block may raise anything
      place(failure: failure(error))
      1
    end

    # Name, type, shape and a short value of what the blocks have set.
    def list
      names = TOPLEVEL_BINDING.local_variables.map { |name| [name, TOPLEVEL_BINDING.local_variable_get(name)] }
      names += TOPLEVEL_BINDING.receiver.instance_variables.map { |name| [name, TOPLEVEL_BINDING.receiver.instance_variable_get(name)] }
      found = names.sort_by { |name, _| name.to_s }.map do |name, value|
        shape = value.respond_to?(:size) && !value.is_a?(Integer) ? value.size.to_s : ""
        { name: name.to_s, kind: value.class.to_s, shape: shape, value: value.inspect.gsub(/\s+/, " ")[0, 200] }
      end
      place(variables: found)
      0
    end

    def serve
      REQUESTS.each_line do |line|
        self.request = JSON.parse(line)
        self.placed = 0
        saved = request["env"].keys.to_h { |name| [name, ENV[name]] }
        ENV.update(request["env"])
        back = Dir.pwd
        open_streams
        Dir.chdir(request["cwd"]) if request["cwd"]
        hand_in(request["variables"])
        exit_code = request["task"] == "variables" ? list : run(request["code"])
        $stdout.flush
        Dir.chdir(back) if request["cwd"]
        ENV.update(saved)
        mark = "\u0002#{request["mark"]}:end\u0003"
        out.write(mark)
        STDERR.write(mark)
        close_streams
        send_event(done: { exit: exit_code })
      end
    end
  end

  # Standard error of the block: each write is a notice, in order with what is printed.
  class Notices
    def write(*texts)
      texts.each { |text| VineLoom.place(notice: text.to_s) unless text.to_s.empty? }
      texts.sum { |text| text.to_s.bytesize }
    end

    def <<(text) = write(text) && self
    def print(*texts) = write(*texts) && nil
    def puts(*texts) = write(texts.empty? ? "\n" : texts.flatten.map { |text| text.to_s.chomp + "\n" }.join) && nil
    def printf(*texts) = write(format(*texts)) && nil
    def flush = self
    def sync = true
    def sync=(value)
      value
    end
    def tty? = false
    alias isatty tty?
    def fileno = 2
  end
end

$stdout.sync = true
$stderr = VineLoom::Notices.new
$PROGRAM_NAME = "ruby"
VineLoom.serve
