#~ +++
#~ title = "{{title}}"
#~ authors = ["{{author}}"]
#~ date = "{{date}}"
#~ +++
#~
#~ This script is a document: lines that begin with a hash and a tilde are prose, and the code between them runs
#~ when it is woven. It is still a script: Python runs it as it is.

readings = {"North": 31.4, "East": 27.9, "Low": 36.0}

#~ A line of prose that begins with an at sign, directly above code, names the block and sets its options.
#~
#~ @driest
plot = min(readings, key=readings.get)
print(f"{plot} is driest, at {readings[plot]} %")

#~ So it can be cited: @[driest].
