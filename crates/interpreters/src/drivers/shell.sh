# Vine Loom's driver for sh and bash. One request a line on descriptor 3, one event a line on descriptor 4.
# The requests are JSON whose leading strings hold neither quotes nor backslashes, so they are cut out by pattern.
# The block gets copies of standard output and input, so that it can close its own. What is /dev/null is not opened
# again for each block: where files are observed, that costs.
exec 7>/dev/null 8>&1 9</dev/null
while IFS= read -r vineloom_request <&3; do
  vineloom_mark=${vineloom_request#*'"mark":"'} vineloom_mark=${vineloom_mark%%'"'*}
  vineloom_file=${vineloom_request#*'"file":"'} vineloom_file=${vineloom_file%%'"'*}
  vineloom_before=${vineloom_request#*'"before":"'} vineloom_before=${vineloom_before%%'"'*}
  vineloom_after=${vineloom_request#*'"after":"'} vineloom_after=${vineloom_after%%'"'*}
  vineloom_stdin=${vineloom_request#*'"stdin":"'} vineloom_stdin=${vineloom_stdin%%'"'*}
  [ "$vineloom_before" = /dev/null ] || . "$vineloom_before"
  [ "$vineloom_stdin" = /dev/null ] || exec 9<"$vineloom_stdin"
  case $vineloom_request in
    *'"streams":"separate"'*) { . "$vineloom_file"; } <&9 >&8 3<&- 4>&- 7>&- 8>&- 9<&- ;;
    *) { . "$vineloom_file"; } <&9 >&8 2>&1 3<&- 4>&- 7>&- 8>&- 9<&- ;;
  esac
  { vineloom_status=$?; } 2>&7
  { [ "$vineloom_after" = /dev/null ] || . "$vineloom_after"; printf '\002%s:end\003' "$vineloom_mark"; } 2>&7
  [ "$vineloom_stdin" = /dev/null ] || exec 9</dev/null
  printf '\002%s:end\003' "$vineloom_mark" >&2
  { printf '{"done":{"exit":%d}}\n' "$vineloom_status" >&4; } 2>&7
done
