# What Vine Loom gives a shell for each block. A shell has no driver that runs in it: it reads these lines from its
# standard input, one block after the other, so that no loop is there to break out of, no variable to be changed and
# no descriptor to be closed. Nothing in it is a command that a function or an alias could stand in front of: files
# are sourced by `.`, and the exit code and the end are told by opening files, which needs no command at all.
# The words in capitals are put in: ENTER and LEAVE are lines that make the block's environment its own, the others each
# one quoted path. What a block does not need is left out.
ENTER
\. BEFORE <&- >&- 2>&-
{ \. CODE
} <STDIN >STDOUT 2>STDERR
>>EXIT"$?"
\. AFTER <&- >&- 2>&-
LEAVE
>>DONE
