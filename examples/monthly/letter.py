"""A step after weaving: puts the report of one reader into a letter that is ready to be sent."""
import os
from email.message import EmailMessage
from pathlib import Path

address = os.environ.get("VINELOOM_ROW_EMAIL")
for report in map(Path, os.environ["VINELOOM_EXPORTS"].splitlines()):
    if not address or report.suffix != ".pdf":
        continue
    letter = EmailMessage()
    letter["To"] = address
    letter["From"] = "Hollin Ridge Cooperative <post@hollin-ridge.example>"
    letter["Subject"] = f"Soil moisture for {os.environ['VINELOOM_ROW_GROWER']}"
    letter.set_content("Your report for the month is attached.\n")
    letter.add_attachment(report.read_bytes(), maintype="application", subtype="pdf", filename=report.name)
    outbox = report.parent / "letters"
    outbox.mkdir(exist_ok=True)
    (outbox / f"{report.stem}.eml").write_bytes(bytes(letter))
