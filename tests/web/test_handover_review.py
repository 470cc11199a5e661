"""The review: signed sheets that stay, remarks that go back, and whether a sheet that somebody holds is ours."""

import io
import json

import pikepdf
import pytest
from PIL import Image
from pyhanko.pdf_utils.reader import PdfFileReader
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError

from irongauge.formats.job_json import read_job
from irongauge.workflows.shop.handovers import check_sheets, sheets_of
from irongauge.workflows.shop.jobs import hand_over, look_at_floor
from tests.web.visitor import Page


@pytest.fixture
def de_icer(jobs):
    return f"/jobs/{jobs['D-3']['uid']}"


def sign(visitor, job):
    page = visitor.send(visitor.get(f"{job}/handover").form("/handover"))
    assert "Handed over" in page.text
    return page


def newest(visitor, job):
    answer = visitor.client.get(f"{job}/sheets/newest.pdf")
    assert answer.headers["content-type"] == "application/pdf"
    return answer.content


def test_a_signed_sheet_is_an_archive_document_with_the_job_inside(visitor, de_icer, jobs):
    sign(visitor, de_icer)
    pdf = newest(visitor, de_icer)
    with pikepdf.open(io.BytesIO(pdf)) as document:
        about = document.open_metadata()
        assert (about["pdfaid:part"], about["pdfaid:conformance"]) == ("3", "B")
        assert len(document.pages) >= 2
        (name,) = document.attachments
        job_file = document.attachments[name].get_file().read_bytes()
    record = read_job(name, job_file)
    assert str(record.job.uid) == jobs["D-3"]["uid"]
    assert record.job.reviewed_by.name == "Ottoline Marsh"
    assert json.loads(job_file)["job"]["number"] == 1003


def test_whoever_changes_a_page_breaks_the_signature(visitor, de_icer):
    sign(visitor, de_icer)
    pdf = newest(visitor, de_icer)

    def is_intact(content):
        (signature,) = PdfFileReader(io.BytesIO(content)).embedded_signatures
        return _digest_fits(signature)

    assert is_intact(pdf)
    changed = bytearray(pdf)
    at = pdf.index(b"stream") + 40
    changed[at] ^= 1
    assert not is_intact(bytes(changed))


def _digest_fits(signature):
    attributes = signature.signer_info["signed_attrs"]
    (digest,) = next(a["values"] for a in attributes if a["type"].native == "message_digest")
    return digest.native == signature.compute_digest()


def test_a_job_that_is_opened_again_gets_another_revision_and_the_old_sheet_stays(visitor, de_icer):
    first_page = sign(visitor, de_icer)
    first = visitor.client.get(f"{de_icer}/sheets/1.pdf").content
    visitor.send(first_page.form("/reopen"))
    assert visitor.client.get(f"{de_icer}/sheets/newest.pdf").status_code == 403
    page = sign(visitor, de_icer)
    assert "As a document (2 signed)" in page.text
    assert visitor.client.get(f"{de_icer}/sheets/1.pdf").content == first
    second = newest(visitor, de_icer)
    assert second == visitor.client.get(f"{de_icer}/sheets/2.pdf").content != first
    for revision in ("3", "0", "x", "²", "99999999"):
        assert visitor.client.get(f"{de_icer}/sheets/{revision}.pdf").status_code == 404


def test_looking_again_makes_no_other_sheet(visitor, de_icer):
    sign(visitor, de_icer)
    assert newest(visitor, de_icer) == newest(visitor, de_icer)
    assert "(1 signed)" in visitor.get(f"{de_icer}/handover").text


@pytest.mark.parametrize("paper", ["a4", "letter", "x'><script>"])
def test_a_sheet_that_is_not_signed_says_so_on_any_paper(standing, paper):
    job = next(j["uid"] for j in standing.client.get("/api/v1/jobs").json() if j["vehicle"] == "LT-7")
    answer = standing.client.get(f"/jobs/{job}/sheet.pdf", params={"paper": paper})
    with pikepdf.open(io.BytesIO(answer.content)) as document:
        width = float(document.pages[0].mediabox[2])
        assert round(width) == (612 if paper == "letter" else 595)
        assert "/AcroForm" not in document.Root


def test_what_somebody_typed_asks_for_no_file(visitor, de_icer):
    vehicle = visitor.get(de_icer).link("/vehicles/")
    form = visitor.get(vehicle).form(vehicle)
    visitor.send(form, description="<img src=file:///etc/passwd><link rel=attachment href=file:///etc/passwd>")
    answer = visitor.client.get(f"{de_icer}/sheet.pdf")
    assert answer.status_code == 200
    with pikepdf.open(io.BytesIO(answer.content)) as document:
        assert list(document.attachments) == ["job-1003.json"]


def test_a_sheet_is_checked_by_its_code_and_by_its_bytes(visitor, de_icer, demo, jobs):
    sign(visitor, de_icer)
    pdf = newest(visitor, de_icer)
    (sheet,) = sheets_of(demo, jobs["D-3"]["uid"])
    form = visitor.get(f"/check?code={sheet.code}").form("/check")
    assert form.fields["code"] == sheet.code
    said = visitor.send(form)
    assert "There is such a sheet. Job 1003 on D-3, revision 1" in said.text
    assert sheet.digest in said.text

    def with_file(content, code=sheet.code):
        files = {"file": ("sheet.pdf", content, "application/pdf")}
        return Page(visitor.client.post("/check", data=form.fields | {"code": code}, files=files)).text

    assert "byte for byte as it was signed" in with_file(pdf)
    assert "not the sheet that was signed" in with_file(pdf[:-1])
    assert "No sheet of this shop has that code" in with_file(pdf, "aaaa-bbbb-cccc")
    visitor.send(visitor.get(f"{de_icer}/handover").form("/reopen"))
    sign(visitor, de_icer)
    assert "There is a newer one" in with_file(pdf)


def test_a_signed_sheet_cannot_be_changed_in_the_database(visitor, de_icer, demo):
    sign(visitor, de_icer)
    for statement in ("UPDATE issued_sheet SET pdf = 'x'", "DELETE FROM issued_sheet"):
        with pytest.raises(DBAPIError, match="stays as it is"), demo.unit() as store:
            store.session.execute(text(statement))
    assert check_sheets(demo)[1] == []
    with demo.unit() as store:
        store.session.execute(text("ALTER TABLE issued_sheet DISABLE TRIGGER sheets_stay"))
        store.session.execute(text("UPDATE issued_sheet SET pdf = pdf || 'x'"))
    assert "is not as it was signed" in check_sheets(demo)[1][0]


def test_a_job_that_was_handed_over_before_gets_its_sheet_when_it_is_asked_for(visitor, demo):
    ready = next(j.job for j in look_at_floor(demo).jobs if j.job.vehicle.tag == "D-3")
    ottoline = next(t.uid for t in look_at_floor(demo).people.technicians if t.name == "Ottoline Marsh")
    hand_over(demo, ready.uid, ottoline)  # and the server is killed before the document is made
    assert sheets_of(demo, ready.uid) == ()
    assert visitor.client.get(f"/jobs/{ready.uid}/sheets/newest.pdf").content.startswith(b"%PDF")
    assert len(sheets_of(demo, ready.uid)) == 1


def test_a_job_is_sent_back_with_a_remark_that_stands_on_the_bench(visitor, de_icer, jobs):
    page = visitor.get(f"{de_icer}/handover")
    empty = visitor.send(page.form("/send-back"), remark=" ")
    assert "Type what is to be seen to." in empty.text
    sent = visitor.send(page.form("/send-back"), remark="Boom angle once more,\nwith the boom at rest <b>")
    assert "Ottoline Marsh sent this job back" in sent.text
    boom = next(c["uid"] for c in jobs["D-3"]["circuits"] if c["name"] == "Boom height angle")
    bench = visitor.get(f"/circuits/{boom}/bench")
    assert "with the boom at rest <b>" in bench.text
    back = visitor.send(bench.form("/answer"))
    assert back.response.url.path == f"/circuits/{boom}/bench"
    assert "sent this job back" not in back.text


def test_who_signs_has_seen_to_it(visitor, de_icer):
    visitor.send(visitor.get(f"{de_icer}/handover").form("/send-back"), remark="Once more")
    sign(visitor, de_icer)
    assert "sent this job back" not in visitor.get(de_icer).text


def test_the_shops_sign_and_paper_are_on_its_sheets(visitor, de_icer):
    form = visitor.get("/shelf/shop").form("/shop/logo")
    out = io.BytesIO()
    Image.new("RGB", (320, 120), "navy").save(out, "PNG")
    files = {"file": ("sign.png", out.getvalue(), "image/png")}
    page = visitor.client.post(form.action, data=form.fields, files=files)
    assert "The sign as it is now" in page.text
    assert visitor.client.get("/shelf/shop/logo").headers["content-type"] == "image/png"
    visitor.send(visitor.get("/shelf/shop").form("/shelf/shop"), paper="letter")
    sign(visitor, de_icer)
    with pikepdf.open(io.BytesIO(newest(visitor, de_icer))) as document:
        assert round(float(document.pages[0].mediabox[2])) == 612
        assert len(list(document.pages[0].get_images())) == 1
    bad = visitor.client.post(form.action, data=form.fields, files={"file": ("sign.png", b"no picture", "image/png")})
    assert bad.status_code == 422
    assert "no JPEG or PNG" in bad.text
    assert visitor.client.get("/shelf/shop/logo").status_code == 200
    visitor.send(visitor.get("/shelf/shop").form("/shop/logo"), remove="yes")
    assert visitor.client.get("/shelf/shop/logo").status_code == 404
