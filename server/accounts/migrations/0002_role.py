from django.db import migrations, models

ROLES = [("reads", "Reads"), ("works", "Works"), ("releases", "Releases"), ("administers", "Administers")]


class Migration(migrations.Migration):
    dependencies = [("accounts", "0001_initial")]

    operations = [
        # Whoever belongs to an organisation already could do everything so far.
        migrations.AddField("membership", "role", models.CharField(choices=ROLES, default="administers", max_length=12), preserve_default=False),
        migrations.AlterField("membership", "role", models.CharField(choices=ROLES, default="works", max_length=12)),
    ]
