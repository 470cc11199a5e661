"""The sheet as a document: PDF/A-3b with the job's own file inside, so that what is read can also be taken in by a program."""

from __future__ import annotations

from base64 import b64encode
from typing import Any

from irongauge.web.pages import STATIC, Pages

__all__ = ["sheet_pdf"]

_PICTURE = "data:image/"


def sheet_pdf(
    pages: Pages, values: dict[str, Any], job_file: str, *, paper: str, logo: tuple[str, bytes] | None
) -> bytes:
    """The document. `values` are what its template names; `paper` is a4 or letter, `logo` a picture's media type and bytes."""
    import weasyprint
    from weasyprint.text.fonts import FontConfiguration
    from weasyprint.urls import URLFetcher

    class OurFiles(URLFetcher):  # type: ignore[misc] # it comes without types
        """Our own fonts and the picture in the page itself: what somebody typed can ask for no file and no address."""

        def fetch(self, url: str, headers: dict[str, str] | None = None) -> Any:
            if not url.startswith((STATIC.as_uri() + "/", _PICTURE)):
                msg = "only files of ours"
                raise ValueError(msg)
            return super().fetch(url, headers)

    job = values["sheet"].page.view.job
    picture = "" if logo is None else f"{_PICTURE}{logo[0].removeprefix('image/')};base64,{b64encode(logo[1]).decode()}"
    text = pages.text("sheet_pdf.html", **values, paper=paper, logo=picture)
    html = weasyprint.HTML(string=text, base_url=STATIC.as_uri() + "/", url_fetcher=OurFiles())
    fonts = FontConfiguration()
    attached = weasyprint.Attachment(
        string=job_file,
        name=f"job-{job.number}.json",
        description="The job, whole, in Iron Gauge's published format",
        relationship="Source",
    )
    return bytes(
        html.write_pdf(
            stylesheets=[weasyprint.CSS(filename=STATIC / "sheet.css", url_fetcher=OurFiles(), font_config=fonts)],
            font_config=fonts,
            attachments=[attached],
            pdf_variant="pdf/a-3b",
            custom_metadata=True,
        )
    )
