"""Import and export: documents, tables, whole jobs, and the format's schema."""

from __future__ import annotations

import hashlib
from typing import Annotated

from fastapi import APIRouter, File, Query, Request, UploadFile
from fastapi.responses import JSONResponse, RedirectResponse, Response

from mesotrope.errors import InvalidInput
from mesotrope.interchange.archive import is_archive, read_archive
from mesotrope.interchange.inspections import SCHEMA_NAME, read_inspections, schema, write_inspection
from mesotrope.interchange.learnt import CLOSED_SCHEMA_NAME, closed_schema
from mesotrope.interchange.measurements import read_measurements, standing_rows, write_measurements
from mesotrope.interchange.pack import answer_document, kept_history, pack_job
from mesotrope.services.archiving import archived_file
from mesotrope.services.audit import note_export
from mesotrope.services.exchange import import_documents, import_figures, restore_job
from mesotrope.services.jobs import open_job
from mesotrope.web.context import Changing, InShop, SignedIn, as_learnt_then
from mesotrope.web.lanes import HEAVY
from mesotrope.web.rendering import as_file, render

router = APIRouter()

#: A number of a learnt version.
LearntQuery = Annotated[int | None, Query(ge=0, lt=1_000_000)]

LARGEST_IMPORT_BYTES = 60_000_000


@router.get(f"/formats/{SCHEMA_NAME}")
def inspection_schema() -> JSONResponse:
    """Open to everybody: a format's schema is nobody's secret."""
    return JSONResponse(schema(), media_type="application/schema+json")


@router.get(f"/formats/{CLOSED_SCHEMA_NAME}")
def closed_case_schema() -> JSONResponse:
    return JSONResponse(closed_schema(), media_type="application/schema+json")


@router.get("/jobs/{job_id}/inspection.json")
def inspection_document(job_id: int, shop: InShop, who: SignedIn) -> Response:
    job = open_job(shop.database, job_id, by=who, knowledge=shop.knowledge)
    note_export(shop.database, f"inspection document of job {job_id}", by=who, now=shop.now())
    return as_file(write_inspection(job.inspection), "application/json", f"inspection-{job_id}.json")


@router.get("/jobs/{job_id}/answer.json")
def answer_json(job_id: int, shop: InShop, who: SignedIn, learnt: LearntQuery = None) -> dict[str, object]:
    """The answer document; `learnt` : with an earlier version of what was learnt, 0 for the product's own tables."""
    if learnt is not None:
        shop = as_learnt_then(shop, who, learnt)
    here = shop.planned(who, job_id)
    note_export(shop.database, f"answer document of job {job_id}", by=who, now=shop.now())
    return answer_document(here, shop.knowledge)


@router.get("/jobs/{job_id}/measurements.csv")
def measurements(job_id: int, shop: InShop, who: SignedIn) -> Response:
    rows = standing_rows(kept_history(shop.database, job_id, by=who))
    note_export(shop.database, f"measurements of job {job_id}", by=who, now=shop.now())
    return as_file(write_measurements(rows, shop.knowledge), "text/csv; charset=utf-8", f"measurements-{job_id}.csv")


@router.get("/jobs/{job_id}/archive.zip", dependencies=[HEAVY])
def archive(job_id: int, shop: InShop, who: SignedIn) -> Response:
    archived = archived_file(shop.database, shop.archives, job_id, by=who)
    if archived is not None:
        note_export(shop.database, f"archive of job {job_id}", by=who, now=shop.now())
        return as_file(archived, "application/zip", f"job-{job_id}.zip")
    here = shop.planned(who, job_id)
    packed = pack_job(shop.database, shop.knowledge, here, by=who)
    note_export(shop.database, f"archive of job {job_id}", by=who, now=shop.now())
    return as_file(packed, "application/zip", f"job-{job_id}.zip")


@router.get("/import")
def import_page(request: Request, who: SignedIn) -> Response:
    return render("exchange/import.html", request, who=who, message="", job_id=None)


@router.post("/import", dependencies=[HEAVY])
def import_file(request: Request, shop: InShop, who: Changing, file: Annotated[UploadFile, File()]) -> Response:
    """Take in inspection documents or a job archive; all of it or nothing."""
    data = file.file.read(LARGEST_IMPORT_BYTES + 1)
    try:
        if is_archive(data):
            kept = read_archive(data, shop.knowledge)
            jobs = [
                restore_job(
                    shop.database, kept.inspection, kept.history, kept.photographs, opened_at=kept.opened_at,
                    state=kept.state, by=who, now=shop.now(),
                )
            ]  # fmt: skip
        else:
            jobs = import_documents(shop.database, read_inspections(data, shop.knowledge), by=who, now=shop.now())
    except InvalidInput as error:
        return render("exchange/import.html", request, status=422, who=who, message=error, job_id=None)
    return RedirectResponse(f"/jobs/{jobs[0]}/take-in" if len(jobs) == 1 else "/", status_code=303)


@router.get("/jobs/{job_id}/measurements")
def import_table_page(request: Request, job_id: int, shop: InShop, who: SignedIn) -> Response:
    open_job(shop.database, job_id, by=who, knowledge=shop.knowledge)
    return render("exchange/import.html", request, who=who, message="", job_id=job_id)


@router.post("/jobs/{job_id}/measurements", dependencies=[HEAVY])
def import_table(
    request: Request, job_id: int, shop: InShop, who: Changing, file: Annotated[UploadFile, File()]
) -> Response:
    """Enter a table of measurements into a job; all of it or nothing, and the same file twice only once."""
    data = file.file.read(LARGEST_IMPORT_BYTES + 1)
    try:
        figures = read_measurements(data, shop.knowledge)
    except InvalidInput as error:
        return render("exchange/import.html", request, status=422, who=who, message=error, job_id=job_id)
    batch = "table-" + hashlib.sha256(data).hexdigest()[:40]
    import_figures(shop.database, job_id, figures, by=who, now=shop.now(), batch=batch)
    return RedirectResponse(f"/jobs/{job_id}/verdict", status_code=303)
