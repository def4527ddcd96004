#~ +++
#~ title = "How fast a plot dries"
#~ authors = ["Tomas Wren"]
#~ date = "today"
#~ references = ["library.bib"]
#~ +++
#~
#~ A plain Python script that is also a document: lines that begin with a hash and a tilde are prose. Run it with
#~ Python, or weave it.

import csv

rows = list(csv.DictReader(open("data/june.csv")))

#~ Between rains a plot loses a share of its water every day [](@calloway2019). The share is the mean of the daily
#~ losses on the days without rain:
#~
#~ @share
def share(plot):
    pairs = [(a, b) for a, b in zip(rows, rows[1:]) if float(b["rain_mm"]) == 0]
    losses = [1 - float(b[plot]) / float(a[plot]) for a, b in pairs]
    return sum(losses) / len(losses)


for plot in ("north", "east", "low"):
    print(f"{plot:6} {100 * share(plot):.1f} % a day")

#~ So the plot called East loses @[python: f"{100 * share('east'):.1f}"] % of its water on a dry day.
