"""For migrations: from a column for each dimension to pairs of dimension and code."""

OLD = ("cost_centre", "project", "task", "fund")


def pairs_from_columns(*models: str):
    """Return a migration's function that fills ``codes`` of models ("app.Model") from the columns of old."""

    def forwards(apps, schema_editor):
        for name in models:
            model = apps.get_model(*name.split("."))
            batch = []
            for row in model.objects.only("pk", *OLD).iterator(2000):
                row.codes = [[column, code] for column in OLD if (code := getattr(row, column))]
                if row.codes:
                    batch.append(row)
                if len(batch) >= 2000:
                    model.objects.bulk_update(batch, ["codes"])
                    batch = []
            model.objects.bulk_update(batch, ["codes"])

    return forwards
