from django.db import migrations


class Migration(migrations.Migration):
    dependencies = (("studio", "0001_initial"),)

    operations = (
        # the table keeps its name, so nothing is rewritten in a database that is there
        migrations.AlterModelTable("Part", "studio_part"),
        migrations.RenameModel("Part", "ScenePart"),
    )
