import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('jobs', '0003_rulesetting'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddIndex(
            model_name='triage',
            index=models.Index(fields=['job', 'cause'], name='jobs_triage_job_id_ec9bb8_idx'),
        ),
        migrations.AlterUniqueTogether(
            name='triage',
            unique_together=set(),
        ),
        migrations.AddField(
            model_name='revision',
            name='parent',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='children', to='jobs.revision'),
        ),
        migrations.AddField(
            model_name='triage',
            name='point',
            field=models.JSONField(null=True),
        ),
        migrations.AlterField(
            model_name='job',
            name='name',
            field=models.CharField(db_collation='utf8mb4_nopad_bin', max_length=200),
        ),
        migrations.AlterField(
            model_name='libraryfile',
            name='name',
            field=models.CharField(db_collation='utf8mb4_nopad_bin', max_length=200),
        ),
    ]
