from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('jobs', '0006_measures'),
    ]

    operations = [
        migrations.AddField(
            model_name='rehearsal',
            name='quick',
            field=models.BooleanField(default=False),
        ),
    ]
