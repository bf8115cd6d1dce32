"""The watch over locks sees what it is there for."""

from sqlalchemy import text

from dogana.demo.cluster import Urls
from dogana.store import Database
from tests.locks import Order


async def test_two_transactions_that_lock_in_opposite_orders_are_found(urls: Urls):
    order, database = Order(), Database(urls.application)
    people, groups = text("UPDATE people SET name = name"), text("UPDATE groups SET title = title")
    with order.watched():
        for _ in range(2):
            async with database.transaction() as session:
                await session.execute(people)
                await session.execute(groups)
        assert order.rings() == []
        async with database.transaction() as session:
            await session.execute(text("SELECT id FROM groups FOR UPDATE"))
            await session.execute(people)
    await database.close()
    assert len(order.rings()) == 1
