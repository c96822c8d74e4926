"""The bench's stock of parts, and the shopping list over all open jobs."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path
from pydantic import BaseModel, Field

from glowdial.api.base.wiring import Body, CsvAnswer, KeyDep, ShortText, WorkshopDep
from glowdial.workshop.stages import stock

router = APIRouter(prefix="/api", tags=["stock"])


class StockShape(BaseModel):
    id: int
    kind: str
    value: str
    rating: str
    safety: str
    count: int
    note: str

    @classmethod
    def of(cls, row: stock.StockLine) -> StockShape:
        """From the workshop's line."""
        return cls(
            id=row.key,
            kind=row.kind,
            value=row.value_text,
            rating=row.rating_text,
            safety=row.safety,
            count=row.count,
            note=row.note,
        )


class StockPage(BaseModel):
    lines: list[StockShape]


class StockRequest(Body):
    kind: str = Field(max_length=20, examples=["electrolytic"])
    value: str = Field(max_length=40, examples=["22u"])
    rating: str = Field(max_length=40, examples=["450"])
    count: int = Field(ge=1, le=10_000, examples=[10])
    safety: str = Field(default="", max_length=4, examples=["Y2"])
    note: ShortText = ""


class CountRequest(Body):
    count: int = Field(ge=0, le=10_000)


class Kept(BaseModel):
    id: int


class ToBuyShape(BaseModel):
    words: str
    wanted: int
    in_stock: int
    to_buy: int
    used_for: list[str]


class ShoppingList(BaseModel):
    lines: list[ToBuyShape]


@router.get("/stock", operation_id="listStock")
def list_stock(workshop: WorkshopDep) -> StockPage:
    """All lines of stock, at most 400."""
    return StockPage(lines=[StockShape.of(row) for row in stock.list_stock(workshop)])


@router.post("/stock", operation_id="postStock", status_code=201)
def post_stock(workshop: WorkshopDep, key: KeyDep, body: StockRequest) -> Kept:
    """Put parts in stock; the same kind, value and rating add up."""
    command = stock.StockCommand(
        body.kind, body.value, body.rating, body.count, body.safety, body.note
    )
    return Kept(id=stock.put_in_stock(workshop, key, command))


@router.post("/stock/{stock_id}/count", operation_id="countStock", status_code=201)
def post_count(
    workshop: WorkshopDep,
    key: KeyDep,
    stock_id: Annotated[int, Path(ge=1, le=2**53)],
    body: CountRequest,
) -> Kept:
    """Set how many there are, as counted."""
    return Kept(id=stock.count_stock(workshop, key, stock_id, body.count))


@router.get("/stock.csv", operation_id="getStockCsv", response_class=CsvAnswer)
def get_stock_csv(workshop: WorkshopDep) -> CsvAnswer:
    """The stock as CSV."""
    return _csv(stock.stock_csv(workshop), "stock.csv")


@router.get("/shopping-list", operation_id="getShoppingList")
def get_shopping_list(workshop: WorkshopDep) -> ShoppingList:
    """Everything on order over all open jobs, less stock."""
    return ShoppingList(
        lines=[
            ToBuyShape(
                words=x.words,
                wanted=x.wanted,
                in_stock=x.in_stock,
                to_buy=x.to_buy,
                used_for=list(x.used_for),
            )
            for x in stock.shopping_list(workshop)
        ]
    )


@router.get("/shopping-list.csv", operation_id="getShoppingCsv", response_class=CsvAnswer)
def get_shopping_csv(workshop: WorkshopDep) -> CsvAnswer:
    """The shopping list as CSV."""
    return _csv(stock.shopping_csv(workshop), "shopping-list.csv")


def _csv(text: str, name: str) -> CsvAnswer:
    headers = {"content-disposition": f'attachment; filename="{name}"'}
    return CsvAnswer(text, headers=headers)
